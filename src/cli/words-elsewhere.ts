/** Words that people bring from elsewhere, and ours for the same. They lead there in a message; none is another name. */

/** Commands that people try, and the command that does it. */
export const COMMANDS_ELSEWHERE: ReadonlyMap<string, string> = new Map(
  Object.entries({
    publish: ['deploy', 'upload', 'sync', 'push', 'put', 'release', 'send', 'copy', 'cp'],
    'publish --dry-run': ['diff', 'status', 'plan', 'changes', 'compare'],
    'publish --watch': ['watch'],
    survey: ['ls', 'list', 'scan', 'inspect', 'files', 'types', 'headers'],
    'bucket list': ['buckets'],
    'bucket create': ['create', 'mkdir'],
    'bucket show': ['show', 'info', 'stat'],
    'bucket empty': ['empty', 'clear', 'purge', 'clean'],
    'bucket remove': ['delete', 'rm', 'remove', 'destroy', 'drop'],
    'access open': ['open', 'allow', 'public', 'website'],
    'access close': ['close', 'private', 'deny'],
    'access show': ['policy', 'permissions', 'acl', 'readers'],
    serve: ['start', 'run', 'dev', 'host', 'emulate', 'server', 'up', 'live'],
    'serve --unpublished': ['preview'],
    'trace /': ['explain', 'why', 'curl', 'get', 'debug', 'ask'],
    check: ['test', 'verify', 'validate', 'lint', 'audit', 'doctor', 'probe'],
    history: ['log', 'releases', 'versions', 'list-releases'],
    'restore N': ['rollback', 'revert', 'undo', 'reset', 'back'],
    init: ['new', 'setup', 'configure', 'start-project', 'adopt'],
    'config show': ['settings', 'options', 'env'],
    demo: ['example', 'tour', 'try', 'sample'],
    '--version': ['version'],
  } satisfies Record<string, readonly string[]>).flatMap(([ours, theirs]) =>
    theirs.map((word) => [word, ours] as const),
  ),
);

/** Options that people try, and ours for the same; each counts only where the command has it. */
export const OPTIONS_ELSEWHERE: ReadonlyMap<string, readonly string[]> = new Map(
  Object.entries({
    matching: ['match', 'filter', 'include', 'only', 'pattern', 'glob', 'path', 'key', 'keys'],
    to: ['dest', 'destination', 'target', 'bucket', 'profile', 'stage', 'env', 'environment'],
    'dry-run': ['dryrun', 'dry', 'preview', 'plan', 'pretend', 'what-if', 'whatif', 'simulate'],
    yes: [
      'force',
      'f',
      'y',
      'assume-yes',
      'no-input',
      'no-ask',
      'no-confirm',
      'no-prompt',
      'non-interactive',
    ],
    sure: ['confirm', 'force', 'really', 'yes', 'y'],
    config: ['c', 'conf', 'file', 'configuration'],
    json: ['format', 'output', 'o', 'machine'],
    quiet: ['silent', 's'],
    port: ['p'],
    at: ['url', 'endpoint', 'host', 'against', 'live'],
    note: ['m', 'message', 'comment', 'msg'],
    header: ['H'],
    method: ['X', 'request'],
    debug: ['verbose', 'trace', 'stack'],
    'in-full': ['full', 'all', 'long', 'verbose'],
    'fail-on': ['level', 'severity', 'strict'],
    report: ['out', 'output', 'reporter'],
    'with-contents': ['force', 'recursive', 'r', 'all'],
    baseline: ['ignore', 'known'],
    progress: ['no-progress', 'progressbar'],
    unpublished: ['local', 'preview', 'draft'],
  } satisfies Record<string, readonly string[]>),
);

/** One of a command's actions for a word from elsewhere: `remove` for `delete`. */
export function actionElsewhere(word: string, actions: readonly string[]): string | undefined {
  const ours = COMMANDS_ELSEWHERE.get(word)?.split(' ') ?? [];
  return ours.find((each) => actions.includes(each));
}

/** Options that answer a question before it is asked. */
const ANSWERS: ReadonlySet<string> = new Set(['yes', ...(OPTIONS_ELSEWHERE.get('yes') ?? [])]);

/** What a word means that no option of the command stands for; '' where nothing is known of it. */
export function meantElsewhere(word: string, command: string, options: readonly string[]): string {
  if (ANSWERS.has(word) && !options.includes('yes') && !options.includes('sure')) return ' It asks nothing.';
  if (command === 'publish' && (word === 'open' || word === 'public'))
    return ' Whether the public may read a bucket is a matter of `fenestra access open`.';
  return '';
}

/** Our option for one from elsewhere, of those that a command has. */
export const optionElsewhere = (word: string, options: readonly string[]): string | undefined =>
  options.find((ours) => OPTIONS_ELSEWHERE.get(ours)?.includes(word) === true);
