import { existsSync, mkdirSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join, relative, resolve } from 'node:path';
import { matchesRange, typeByName } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { bucketNameFault, suggestBucketName } from '../../core/release/bucket-name.js';
import { walkSite } from '../../disk/walk.js';
import { defineCommand } from '../command.js';
import { STARTER_FILES } from '../work/starter-site.js';

interface Args {
  readonly folder: string | undefined;
  readonly bucket: string | undefined;
}

/** Where site builders usually put what they build, the likeliest first. */
const BUILT = ['site', 'dist', 'public', 'build', '_site', 'out', 'www', 'html'];
const ERROR_PAGES = ['not-found.html', '404.html', 'error.html', 'notfound.html', 'not_found.html'];

export default defineCommand<Args>({
  positionals: '[folder]',
  describe:
    'Adopts a folder of built files, or starts a small site: writes fenestra.yaml with what it can see.',
  examples: [
    ['fenestra init', 'look for the built files here'],
    ['fenestra init dist --bucket wendle-mill', 'adopt a folder, with the bucket named'],
  ],
  options: (yargs) =>
    yargs
      .positional('folder', { type: 'string', describe: 'the folder of built files' })
      .option('bucket', { type: 'string', describe: 'the name of the bucket', requiresArg: true }),
  async run(args, terminal) {
    const file = resolve(args.config);
    const home = resolve(file, '..');
    if (existsSync(file)) throw new FenestraError('CONFIG_EXISTS', { file: args.config });
    if (args.bucket !== undefined) needName(args.bucket);
    const chosen =
      args.folder ?? BUILT.find((name) => holdsPages(join(home, name))) ?? (holdsPages(home) ? '.' : 'site');
    const site = resolve(args.folder === undefined ? home : process.cwd(), chosen);
    const adopted = existsSync(site) && walkSite(site).files.length > 0;
    const name =
      args.bucket ?? (await terminal.askText('Name of the bucket', suggestBucketName(basename(home))));
    needName(name);
    const made = adopted ? [] : startSite(site);
    const keys = walkSite(site).files.map(({ key }) => key);
    const index = keys.includes('index.html')
      ? 'index.html'
      : (keys.find((key) => /^(?:index|default|home)\.x?html?$/i.test(key)) ?? 'index.html');
    const error =
      ERROR_PAGES.find((page) => keys.includes(page)) ??
      keys.find((key) => /^(?:404|error|not-?found)\.x?html?$/i.test(key));
    const siteSetting = relative(home, site) || '.';
    const { formatNewConfig } = await import('../work/new-config.js');
    mkdirSync(home, { recursive: true });
    writeFileSync(
      file,
      formatNewConfig({
        site: siteSetting,
        bucket: name,
        index,
        error,
        drafts: keys.some((key) => key.startsWith('drafts/')),
        pictures: keys.some((key) => matchesRange('image/*', typeByName(key) ?? '')),
      }),
    );
    await writeSchema(home);
    const { paint } = terminal;
    terminal.print(
      [
        adopted
          ? `Adopted ${paint.strong(siteSetting)} with ${keys.length} files.`
          : `Started a small site in ${paint.strong(siteSetting)}: ${made.join(', ')}.`,
        `  index document   ${keys.includes(index) ? index : `${index} ${paint.warn('(not there yet)')}`}`,
        `  error document   ${error ?? paint.warn('none found: a wrong address will show a bare page')}`,
        `  bucket           ${name}`,
        `Wrote ${paint.strong(args.config)}. Next: fenestra survey, then fenestra publish.`,
      ].join('\n'),
    );
    terminal.printJson({
      config: file,
      site,
      adopted,
      files: keys.length,
      bucket: name,
      documents: { index, error: error ?? null },
    });
    return undefined;
  },
});

/** The schema that the config refers to, beside what Fenestra keeps for itself. */
async function writeSchema(home: string): Promise<void> {
  const { createJsonSchema } = await import('../../config/json-schema.js');
  const { SCHEMA_FILE } = await import('../work/new-config.js');
  const file = join(home, SCHEMA_FILE);
  mkdirSync(dirname(file), { recursive: true });
  writeFileSync(file, `${JSON.stringify(createJsonSchema(), null, 2)}\n`);
}

function needName(name: string): void {
  const reason = bucketNameFault(name);
  if (reason !== undefined)
    throw new FenestraError('BUCKET_NAME', { name, reason, suggestion: suggestBucketName(name) });
}

function holdsPages(folder: string): boolean {
  try {
    return statSync(folder).isDirectory() && readdirSync(folder).some((name) => /\.x?html?$/i.test(name));
  } catch {
    return false;
  }
}

function startSite(site: string): string[] {
  for (const [name, text] of Object.entries(STARTER_FILES)) {
    mkdirSync(resolve(site, name, '..'), { recursive: true });
    writeFileSync(join(site, name), text, { flag: 'wx' });
  }
  return Object.keys(STARTER_FILES);
}
