/**
 * Every error that Fenestra raises on purpose: its code, what it says and the exit code it ends with.
 * In a template `{name}` is filled from the error's details. Each message says what happened and where;
 * each fix says what to do. docs/errors.md is generated from this table.
 */
export const EXIT = { done: 0, found: 1, usage: 2, store: 3, refused: 4, defect: 70 } as const;

export interface CatalogueEntry {
  readonly exit: number;
  readonly message: string;
  readonly fix: string;
}

const entry = <const Message extends string, const Fix extends string>(
  exit: number,
  message: Message,
  fix: Fix,
): { readonly exit: number; readonly message: Message; readonly fix: Fix } => ({ exit, message, fix });

export const CATALOGUE = {
  USAGE: entry(EXIT.usage, '{what}', '{fix}'),
  LOG_UNREADABLE: entry(
    EXIT.usage,
    'The access log {path} cannot be read: {reason}.',
    'Give a log in the common or combined format, or what `fenestra serve --log` writes; packed with gzip too.',
  ),
  LOG_TIMELESS: entry(
    EXIT.usage,
    'The access log {path} is of no span of time: its {requests} {why}.',
    'Say what it is of with --span, such as --span "7 days".',
  ),
  CARD_UNREADABLE: entry(
    EXIT.usage,
    'The rate card {path} cannot be read: {reason}.',
    'Name a file with --card; docs/cost.md says how to write one from any price list.',
  ),
  AUTHORITY_UNWRITABLE: entry(
    EXIT.store,
    'The certificate authority of this machine cannot be stored in {path}: {reason}.',
    'Make the folder writable, or set XDG_DATA_HOME to one that is.',
  ),
  AUTHORITY_UNSAFE: entry(
    EXIT.store,
    'Others on this machine can read the private key {path}.',
    'Anyone who has it can pose as any host that you trust it for. If nobody has copied it, `chmod 600` it. Otherwise delete it with its certificate, and remove the certificate from your browsers.',
  ),
  NAMES_NONE: entry(
    EXIT.usage,
    'The destination {destination} has no host names of its own.',
    'Add `domains: [www.mill.example]` to the config or to the destination.',
  ),
  NAMES_UNKNOWN: entry(
    EXIT.usage,
    '{name} is not a host name of the destination {destination}, which has {known}.',
    'Name one of them, or add it under `domains` or `movedHosts`.',
  ),
  NAMES_NO_HOST: entry(
    EXIT.usage,
    'The host name under which the store serves the bucket {bucket} is unknown: {address} is {why}.',
    'Set `bucketHost:` in the destination to the host name that the store gives the bucket; DNS records point to it.',
  ),
  ZONE_UNREADABLE: entry(
    EXIT.usage,
    'The zone file {path} cannot be used: {reason}.',
    'Give a master file of the zone (RFC 1035 section 5), such as the export of a provider.',
  ),
  CONFIG_MISSING: entry(
    EXIT.usage,
    'There is no config {file}{above}.',
    'Run `fenestra init` in the project folder, or name the config with --config FILE.',
  ),
  CONFIG_UNREADABLE: entry(
    EXIT.usage,
    '{file} cannot be read: {reason}.',
    'Check the path and its permissions.',
  ),
  CONFIG_FAULTS: entry(EXIT.usage, '{faults}', 'Nothing was changed. Fix {count} and run the command again.'),
  CONFIG_EXISTS: entry(
    EXIT.refused,
    '{file} already exists.',
    'Edit it, or remove it first; `fenestra config show` prints what it sets.',
  ),
  DESTINATION_UNKNOWN: entry(
    EXIT.usage,
    'No destination is called "{name}"; the config has {known}.{near}',
    'Name one of them with --to, or add it under `destinations:`.',
  ),
  SITE_MISSING: entry(
    EXIT.usage,
    'The site folder {path} does not exist.',
    'Build the site first, or set `site:` in fenestra.yaml to the folder that holds the built files.',
  ),
  SITE_NOT_FOLDER: entry(
    EXIT.usage,
    '{path} is a file, not a folder.',
    'Set `site:` to the folder that holds the built files.',
  ),
  SITE_EMPTY: entry(
    EXIT.usage,
    'The site folder {path} has no file to publish{left}.',
    'Build the site first, or set `site:` to the folder that holds the built files.',
  ),
  SITE_FAULTS: entry(EXIT.usage, '{faults}', 'Nothing was published. Fix {count} and run the command again.'),
  FILE_UNREADABLE: entry(
    EXIT.usage,
    '{path} cannot be read: {reason}.',
    'Give yourself read access to it, or remove it from the site.',
  ),
  FILE_CHANGING: entry(
    EXIT.refused,
    '{path} changed while it was being read.',
    'Wait until the build has finished, then publish again; nothing was published.',
  ),
  KEY_UNKNOWN: entry(
    EXIT.usage,
    'The site has no object with the key "{key}"{nearest}.',
    'Run `fenestra survey` to see the keys.',
  ),
  BUCKET_NAME: entry(
    EXIT.usage,
    '"{name}" cannot be a bucket name: {reason}.',
    'Choose a name such as {suggestion}.',
  ),
  BUCKET_TAKEN: entry(
    EXIT.refused,
    'The store already has a bucket called {name}.',
    'Choose another name, such as {suggestion}.',
  ),
  BUCKET_MISSING: entry(
    EXIT.store,
    'The store {store} has no bucket called {name}{nearest}.',
    '`fenestra bucket list` shows the buckets; `fenestra publish` creates the one that the destination names.',
  ),
  HOST_UNKNOWN: entry(
    EXIT.usage,
    'No bucket of the store {store} answers for the host {host}; the hosts are {known}.',
    'Correct the address, name the destination with --to, or give a path alone.',
  ),
  STORE_UNKNOWN: entry(
    EXIT.usage,
    'The config has no store "{name}"; there is {known}.{near}',
    'Name one of them, or add it under `stores:`.',
  ),
  STORE_KIND: entry(
    EXIT.usage,
    '{place}: the store "{name}" has the unknown kind "{kind}"; the kinds are {known}.{near}',
    'Correct `kind:` under `stores:`.',
  ),
  STORE_MODULE: entry(
    EXIT.store,
    '{path} could not create the store "{name}": {reason}.',
    'Correct `module:` under `stores:`, or the module; docs/stores.md says what it has to export.',
  ),
  CREDENTIALS_MISSING: entry(
    EXIT.usage,
    'There are no credentials for the store "{store}".',
    'Please {how}; secrets never stand in the config.',
  ),
  CREDENTIALS_UNSAFE: entry(
    EXIT.usage,
    '{path} holds secrets, and users other than its owner can read it.',
    'Restrict it to its owner (chmod 600), and change the key if somebody else may have read it.',
  ),
  SIGN_IN_REFUSED: entry(
    EXIT.store,
    'Signing in to the store "{store}" at {at} was refused: {reason}.',
    'Check the credentials, and `auth:`, `region:` and `interface:` under `stores:`.',
  ),
  TOKEN_IN_CLEAR: entry(
    EXIT.refused,
    'Signing in to the store "{store}" uses https at {at}, but its catalogue names {origin}, where the token would be sent unencrypted.',
    'Ask the operators of the store to list an https address in its catalogue. For a store on this machine, set `plainLoopback: true` under it.',
  ),
  STORE_UNREACHABLE: entry(
    EXIT.store,
    'The store "{store}" cannot be reached at {at}: {reason}.',
    'Check the network and the address, and run the command again: it continues where it stopped.',
  ),
  STORE_REFUSED: entry(EXIT.store, 'The store "{store}" answered {status} to {what}: {said}.', '{fix}'),
  STORE_BUSY: entry(
    EXIT.refused,
    'Somebody is publishing to {bucket}: {who}, since {since}.',
    'Wait for it to finish. If it was killed, its lock expires at {until}.',
  ),
  STORE_LAGS: entry(
    EXIT.store,
    'The store {store} does not show in its listing what was just written to {bucket}, so nobody can tell who else is publishing.',
    'Nothing was changed. Run the command again once the nodes of the store are level.',
  ),
  STORE_CANNOT: entry(
    EXIT.refused,
    'The store {store} cannot {what}.',
    'Remove that from the config, or publish to a store that supports it. Nothing was changed.',
  ),
  NOTHING_TO_MEND: entry(
    EXIT.refused,
    'Nobody but Fenestra changes {bucket} in the store {store}, so there is nothing to put back.',
    '`fenestra bucket show --verify` reads every stored byte.',
  ),
  MEND_FAILED: entry(
    EXIT.store,
    '{bucket} was put back, and {what} is still not as it was to be{more}.',
    'Somebody may be changing it now. Run `fenestra bucket mend` again; if it stays, see who else has write access.',
  ),
  STORE_NEEDS_CHOICE: entry(
    EXIT.refused,
    'The store {store} cannot {what}.',
    '{instead} Nothing was changed.',
  ),
  SITES_DISAGREE: entry(
    EXIT.refused,
    'The sites that share the bucket {bucket} cannot: {what}.',
    'Give both the same setting, or give one of them its own bucket. Nothing was changed.',
  ),
  FOLDER_TAKEN: entry(
    EXIT.refused,
    'The bucket {bucket} holds {what}.',
    'Choose another folder for `under:`, or publish without it first. Nothing was changed.',
  ),
  NOT_REHEARSED: entry(
    EXIT.refused,
    'This is not what was rehearsed as release {release} of {bucket}: {what}.',
    'Rehearse it with `fenestra publish --to {like}`, or publish without `--like`. Nothing was changed.',
  ),
  FOREIGN_CHANGES: entry(
    EXIT.refused,
    '{what}: {which}.',
    'Look at these changes first: `fenestra bucket mend` puts the release back, `--over-foreign` publishes over them. Nothing was changed.',
  ),
  STORE_ELSEWHERE: entry(
    EXIT.usage,
    'The store {store} is not on this machine, so its buckets cannot be served here.',
    'Rehearse with the store `here`, or use `fenestra serve --unpublished`.',
  ),
  STORE_NOT_OURS: entry(
    EXIT.store,
    '{path} is not a Fenestra store: {reason}.',
    'Set `storeFolder` to another folder. Nothing in this one was changed.',
  ),
  STORE_DAMAGED: entry(
    EXIT.store,
    'The store is damaged: {what}.',
    'Restore {path} from a backup. Without one, move it away and publish again: the site folder is intact, and only earlier releases are lost.',
  ),
  STORE_FULL: entry(
    EXIT.store,
    'The disk under {path} is full; the bucket still has its previous release.',
    'Free some space and publish again. What this publish had copied was removed.',
  ),
  STORE_UNWRITABLE: entry(
    EXIT.store,
    'The store at {path} cannot be written: {reason}.',
    'Give yourself write permission there, or run the command as its owner.',
  ),
  STORE_UNREADABLE: entry(
    EXIT.store,
    'The store at {path} cannot be read: {reason}.',
    'Check its path and permissions, or run the command as its owner.',
  ),
  BODY_DAMAGED: entry(
    EXIT.store,
    'The stored bytes of {key} differ from the published ones ({reason}).',
    'Check the disk of {path}; `fenestra publish` sends the bytes again if the site folder still has them.',
  ),
  RELEASE_DAMAGED: entry(
    EXIT.store,
    'Release {release} cannot be restored completely: the stored bytes of {keys} are damaged, and the site folder no longer has them.',
    'Put those files back into the site folder as they were and run the command again, or restore another release.',
  ),
  PUBLISHED_MEANWHILE: entry(
    EXIT.refused,
    'Somebody else published to {bucket} in the meantime: it was at release {base} and is now at {head}{who}.',
    'Run `fenestra publish` to see the changes again. Nothing of yours was published.',
  ),
  OPENED_MEANWHILE: entry(
    EXIT.refused,
    'Somebody opened {bucket} to the public in the meantime.',
    'Run `fenestra publish` to see the changes again. Nothing of yours was published.',
  ),
  BODIES_SWEPT: entry(
    EXIT.refused,
    'The bytes of {key} were swept before the release of {bucket} that needs them was complete.',
    'Publish again to send them. Nothing was published.',
  ),
  BUCKET_NOT_EMPTY: entry(
    EXIT.refused,
    'Bucket {name} still holds {objects}.',
    'Empty it first with `fenestra bucket empty {name}`, or remove it together with its objects: --with-contents.',
  ),
  RELEASE_UNKNOWN: entry(
    EXIT.usage,
    'Bucket {bucket} has no release {release}; it has {known}.',
    'Run `fenestra history` to see the releases.',
  ),
  LIST_UNREADABLE: entry(
    EXIT.usage,
    '--agreed {file} is not a change list: {reason}.',
    'Give the code that `fenestra publish --dry-run` ends with, or a file that --save wrote.',
  ),
  AGREED_OTHERWISE: entry(
    EXIT.refused,
    'What would be published now differs from what was agreed on as {agreed}: {drift}.',
    'Run `fenestra publish --dry-run` and have its change list agreed on. Nothing was published.',
  ),
  CONFIRMATION_NEEDED: entry(
    EXIT.refused,
    '{question} There is no terminal to ask on.',
    'Answer on the command line: {option}.',
  ),
  CONFIRMATION_WRONG: entry(
    EXIT.refused,
    '"{given}" is not {expected}; nothing was changed.',
    'Type the name exactly: {option}. For the bucket of another destination add --to NAME.',
  ),
  DECLINED: entry(
    EXIT.refused,
    'Declined; nothing was changed.',
    'Run the command again when you are ready.',
  ),
  NOTHING_PUBLISHED: entry(
    EXIT.store,
    'Bucket {bucket} has no release yet, so there is nothing to check.',
    'Publish first: `fenestra publish`, or `fenestra publish --prove` to check it before visitors see it.',
  ),
  BROWSER_MISSING: entry(
    EXIT.usage,
    'No Chromium was found on this machine{named}.',
    'Install one (Debian: `apt-get install chromium`), or name its program: --browser /usr/bin/chromium. Only --browser needs it.',
  ),
  BROWSER_FAILED: entry(
    EXIT.store,
    'The browser {program} could not be driven: {reason}.',
    'Start it by hand to see what is missing, or name another one with --browser.',
  ),
  BASELINE_UNREADABLE: entry(
    EXIT.usage,
    '--baseline {file} cannot be used: {reason}.',
    'Name a file that --save-baseline wrote.',
  ),
  NAMES_BROKEN: entry(
    EXIT.defect,
    'Versioned names would break {count} references that work now, such as {written} at {place}, which leads to {target}.',
    'This is a defect in Fenestra, and nothing was published. Take {target} out of `versioned` until it is mended, and report the text at {place}.',
  ),
  EXPORT_REFUSED: entry(
    EXIT.refused,
    '{folder} cannot take the release: {reason}.',
    'Name a folder that is empty or does not exist yet. Nothing was written.',
  ),
  IMPORT_REFUSED: entry(
    EXIT.refused,
    '{from} is no copy that can be published: {reason}.',
    'Write one with `fenestra bucket export`; docs/export.md says what is in it. Nothing was published.',
  ),
  EXPORT_FAILED: entry(
    EXIT.store,
    '{folder} could not be written: {reason}.',
    'Free some space or give yourself access, delete what was written, and run the command again.',
  ),
  FILE_UNWRITABLE: entry(
    EXIT.usage,
    '{option} {file} cannot be written: {reason}.',
    'Name a file in a folder that exists.',
  ),
  REPORT_KIND: entry(
    EXIT.usage,
    '--report {file}: the extension does not name a kind of report.',
    'Use {kinds}.',
  ),
  CHECK_FAILED: entry(
    EXIT.found,
    'The release was not published: its check found {what}. {bucket} stays at release {release}.',
    'Fix what is listed above and publish again; --fail-on and --baseline decide what counts.',
  ),
  PUBLISHED_FAILS: entry(
    EXIT.found,
    'There was nothing to publish, and the check of release {release} of {bucket} found {what}.',
    'Fix what is listed above and publish again; --fail-on and --baseline decide what counts.',
  ),
  PORT_IN_USE: entry(
    EXIT.store,
    'Port {port} on {host} is in use.',
    'Stop the program that uses it, or choose another port with --port; 0 takes any free one.',
  ),
  LISTEN_FAILED: entry(
    EXIT.store,
    'Listening on {host}:{port} failed: {reason}.',
    'Choose another address with --host or --port.',
  ),
  ENDPOINT_DEAD: entry(
    EXIT.store,
    '{url} does not answer: {reason}.',
    'Start it (`fenestra serve`), or correct the address after --at.',
  ),
  SITE_WENT_SILENT: entry(
    EXIT.store,
    '{url} stopped answering after {count}.',
    'Run the same command again: it goes on where it stopped.',
  ),
  ENDPOINT_FRONT: entry(
    EXIT.usage,
    '{url} is the start page of the emulation, which lists its buckets; it is not a bucket.',
    'Give the address of a bucket, such as {example} .',
  ),
  URL_INVALID: entry(
    EXIT.usage,
    '"{url}" is not a web address that can be requested: {reason}.',
    'Give one such as http://127.0.0.1:4680/ .',
  ),
  URL_BARE: entry(
    EXIT.usage,
    '"{address}" looks like a host name, and a web address begins with https:// or http://.',
    'Write {root}, or a path with its slash (/{address}). A live endpoint is asked with --at.',
  ),
  SYSTEM_REFUSED: entry(
    EXIT.store,
    '{what} cannot be used: {reason}.',
    'Check its permissions and the free space on the disk, then run the command again.',
  ),
  DEFECT: entry(
    EXIT.defect,
    'Fenestra itself failed: {reason}.',
    'This is a defect in Fenestra. Run the command again with --debug and report the output.',
  ),
} as const satisfies Record<string, CatalogueEntry>;

export type ErrorCode = keyof typeof CATALOGUE;
export type Details = Readonly<Record<string, string | number>>;

/** The names in braces of a template. */
type Placeholders<Template> = Template extends `${string}{${infer Name}}${infer Rest}`
  ? Name | Placeholders<Rest>
  : never;
type Entry<Code extends ErrorCode> = (typeof CATALOGUE)[Code];

/** What an error of this code has to be given, no more and no less: the compiler names what is forgotten. */
export type DetailsOf<Code extends ErrorCode> = Readonly<
  Record<Placeholders<Entry<Code>['message'] | Entry<Code>['fix']>, string | number>
>;
type Given<Code extends ErrorCode> = keyof DetailsOf<Code> extends never
  ? [details?: Readonly<Record<string, never>>, cause?: unknown]
  : [details: DetailsOf<Code>, cause?: unknown];

/** An expected failure. Code branches on `code`; people read `message` and `fix`. */
export class FenestraError<Code extends ErrorCode = ErrorCode> extends Error {
  readonly code: Code;
  readonly fix: string;
  readonly exit: number;
  readonly details: Details;

  /** By what it is and not by which copy of this file made it: a store of one's own may bring another copy. */
  static override [Symbol.hasInstance](value: unknown): boolean {
    return (
      value instanceof Object &&
      'code' in value &&
      typeof value.code === 'string' &&
      Object.hasOwn(CATALOGUE, value.code) &&
      'exit' in value &&
      'fix' in value
    );
  }

  constructor(code: Code, ...[details = {}, cause]: Given<Code>) {
    const { message, fix, exit } = CATALOGUE[code];
    super(fill(message, details), cause === undefined ? undefined : { cause });
    this.name = 'FenestraError';
    this.code = code;
    this.fix = fill(fix, details);
    this.exit = exit;
    this.details = details;
  }

  /** The fix, with its own words changed before the details are put in. */
  fixWith(change: (words: string) => string): string {
    const own = this.details['fix'];
    return fill(
      change(CATALOGUE[this.code].fix),
      typeof own === 'string' ? { ...this.details, fix: change(own) } : this.details,
    );
  }
}

const fill = (template: string, details: Details): string =>
  template.replace(/\{(\w+)\}/g, (whole, name: string) => (name in details ? String(details[name]) : whole));

/** Narrows an unknown failure to a Node.js system error's code, such as ENOENT. */
export const systemCode = (error: unknown): string | undefined =>
  error instanceof Error && 'code' in error && typeof error.code === 'string' ? error.code : undefined;
