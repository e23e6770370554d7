import { besideProgram } from '../../files/beside-program.js';
import { appendFileSync, cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { quoteWord } from '../../core/words/command-line.js';
import { EXIT, FenestraError } from '../../core/errors/catalogue.js';
import { defineCommand } from '../command.js';
import type { Terminal } from '../terminal.js';
import { openProject } from '../../jobs/project/open-project.js';
import { SILENT } from '../../jobs/progress.js';
import { describeFix } from '../../report/text/fix-text.js';
import { untilStopped } from '../until-stopped.js';

interface Args {
  readonly once: boolean;
  readonly port: number;
  readonly 'as-it-arrived': boolean;
  readonly swift: string | undefined;
  readonly address: string | undefined;
}

const BUCKET = 'wendle-mill';
const ORDERS = 'mill-orders';

export default defineCommand<Args>({
  describe:
    'Runs a full example on the demo site in a scratch folder: survey, publish, the closed bucket, opening it, a check, visits, serving.',
  examples: [
    ['fenestra demo', 'ends with the site being served until Ctrl-C'],
    ['fenestra demo --once', 'ends by itself'],
    ['fenestra demo --as-it-arrived', 'the check of a site with some fifty faults in it'],
  ],
  options: (yargs) =>
    yargs
      .option('once', { type: 'boolean', default: false, describe: 'do not go on serving' })
      .option('port', {
        type: 'number',
        default: 0,
        describe: 'where to serve; 0 takes any free port',
        requiresArg: true,
      })
      .option('swift', {
        type: 'string',
        describe:
          'run it on an OpenStack Swift: where to sign in; FENESTRA_CLOUD_USER and FENESTRA_CLOUD_KEY say with what',
        requiresArg: true,
      })
      .option('address', {
        type: 'string',
        describe: 'with --swift: where the public reads the bucket',
        requiresArg: true,
      })
      .option('as-it-arrived', {
        type: 'boolean',
        default: false,
        describe: 'the copy of the site that has every fault in it: what a check says of it',
      }),
  async run(args, terminal, runAgain) {
    const steps: object[] = [];
    const scratch = mkdtempSync(join(tmpdir(), 'fenestra-demo-'));
    const config = join(scratch, 'fenestra.yaml');
    try {
      cpSync(demoFolder(args['as-it-arrived'] ? 'as-it-arrived' : 'wendle-mill'), scratch, {
        recursive: true,
      });
      const step = (title: string, command: string): void =>
        terminal.print(
          `\n${terminal.paint.strong(`■ ${title}`)}\n${terminal.paint.soft(`$ fenestra ${command}`)}\n`,
        );
      const run = async (title: string, ...words: string[]): Promise<unknown> =>
        runTo(EXIT.done, title, ...words);
      const runTo = (expected: number, title: string, ...words: string[]): Promise<unknown> =>
        runWith(config, expected, title, words);
      const runWith = async (
        of: string,
        expected: number,
        title: string,
        words: readonly string[],
      ): Promise<unknown> => {
        const command = words.map(quoteWord).join(' ');
        step(title, command);
        let result: unknown;
        const code = await runAgain(
          [...words, '--config', of, ...(terminal.json ? ['--json'] : [])],
          (document) => (result = document),
        );
        if (code !== expected)
          throw new FenestraError('DEFECT', { reason: `the demo's step "${title}" ended with ${code}` });
        steps.push({ title, command: `fenestra ${command}`, exit: code, result });
        return result;
      };
      const askAll = async (title: string, base: string, paths: readonly string[]): Promise<void> => {
        step(title, 'serve');
        steps.push({ title, answers: await ask(base, paths, terminal) });
      };
      if (args['as-it-arrived']) {
        terminal.print(`The Wendle Creek Tide Mill's site, as it arrived. Scratch folder: ${scratch}`);
        await run('Publishing it all the same', 'publish', '--yes', '--sure', BUCKET);
        await runTo(EXIT.found, 'What is wrong with it', 'check');
        terminal.printJson({ steps });
        return undefined;
      }
      if (args.swift !== undefined) moveToSwift(config, args.swift, args.address);
      terminal.print(`The Wendle Creek Tide Mill publishes its site. Scratch folder: ${scratch}`);
      await run('What is there', 'survey');
      const { code } = (await run('What would change', 'publish', '--dry-run')) as { code: string };
      await run('Publishing exactly that', 'publish', '--agreed', code, '--note', 'The first release');
      const served = args.swift === undefined ? await serveBuckets(config, args.port) : undefined;
      try {
        const base = served?.base ?? (args.address ?? '').replace(/\/$/, '');
        const refusal = served ? 403 : 401;
        await askAll(`The site answers ${refusal}: a new bucket is closed`, base, ['/']);
        await run('Why', 'trace', '/');
        await run('Opening it, on purpose', 'access', 'open', '--sure', BUCKET);
        await askAll('The index page, a folder without its slash, a wrong address', base, [
          '/',
          '/visit',
          '/no/such/page',
        ]);
        await run('Does all of it work', 'check', '--at', `${base}/`);
        if (served) {
          const found = join(scratch, 'adopted');
          await runWith(
            join(found, 'fenestra.yaml'),
            EXIT.done,
            'A site that is published already, adopted',
            [...['init', '--at', `${base}/`, '--fetch', join(found, 'site'), '--bucket', 'wendle-adopted']],
          );
        }
        await run('What visitors ask for, first and again', 'visit', '/', '/visit/', '/mill/film/');
        // What changes gets another name, so that everything else can be kept for good.
        appendFileSync(config, '\nversioned: ["styles/**", "assets/**", "pictures/**"]\n');
        await run('Names that change with the content', 'publish', '--yes', '--sure', BUCKET);
        const style = join(scratch, 'site', 'styles', 'mill.css');
        appendFileSync(style, '\nh1 { letter-spacing: 0.01em; }\n');
        await run('One style changes', 'publish', '--yes');
        await run('Who names it, and how', 'survey', '--references', 'styles/mill.css');
        await run('What a cache for everybody before the bucket does', 'trace', '/film/wheel.mp4', '--front');
        if (served) {
          // An application of one page, in a bucket of the same store.
          const orders = join(scratch, 'orders');
          cpSync(demoFolder('orders'), orders, { recursive: true });
          const its = join(orders, 'fenestra.yaml');
          await runWith(its, EXIT.done, 'An application of one page', ['publish', '--yes']);
          await runWith(its, EXIT.done, 'Opening that too', ['access', 'open', '--sure', ORDERS]);
          await runWith(its, EXIT.done, 'What a page of another site may do with it', [
            ...['trace', '/assets/orders.css', '--header', 'Origin: https://app.wendlemill.example'],
          ]);
          await askAll(
            'Its own addresses, and a script that is missing',
            base.replace(`//${BUCKET}.`, `//${ORDERS}.`),
            ['/orders/12', '/about/', '/orders/main.js'],
          );
        }
        const archive = join(scratch, 'mill.tar');
        await run('All of it as an archive', 'bucket', 'export', archive);
        await run(
          'And into another bucket, byte for byte',
          'bucket',
          'import',
          archive,
          '--to',
          'live',
          '--yes',
        );
        await run('What its own host names need', 'domain', 'records', '--to', 'live');
        const cards = join(dirname(demoFolder('wendle-mill')), 'cards');
        await run(
          'What it costs, by two made-up cards',
          'cost',
          '--card',
          join(cards, 'quay.yaml'),
          '--card',
          join(cards, 'lock.yaml'),
          '--visitors',
          '500000',
        );
        terminal.print(
          `\n${terminal.paint.good('Done.')} ${terminal.interactive && !args.once ? 'Open ' : ''}${terminal.paint.strong(`${base}/`)}${terminal.interactive && !args.once ? ' in a browser; Ctrl-C ends it.' : ' was its address; run it in a terminal without --once and it goes on serving.'}`,
        );
        terminal.printJson({ address: `${base}/`, steps });
        if (terminal.interactive && !args.once && served) await untilStopped();
      } finally {
        await served?.close();
      }
    } finally {
      rmSync(scratch, { recursive: true, force: true });
    }
    return undefined;
  },
});

async function serveBuckets(config: string, port: number): Promise<{ base: string; close(): Promise<void> }> {
  const { serve } = await import('../../jobs/serving.js');
  const server = await serve(
    await openProject({ config }),
    { host: '127.0.0.1', port, unpublished: false, annotate: false, describeFix },
    SILENT,
  );
  return { base: `http://${BUCKET}.localhost:${server.port}`, close: () => server.close(500) };
}

/** The same site in an object store: with pages for what has moved, and without what nobody may read. */
function moveToSwift(config: string, auth: string, address: string | undefined): void {
  if (address === undefined)
    throw new FenestraError('USAGE', {
      what: '--swift needs to know where the public reads the bucket.',
      fix: 'Name it with --address URL.',
    });
  const text = readFileSync(config, 'utf8')
    .replace(
      /^destinations:$/m,
      `stores: { cloud: { kind: swift, auth: ${JSON.stringify(auth)} } }\ndestinations:`,
    )
    .replace(
      `{ store: here, bucket: ${BUCKET} }`,
      `{ store: cloud, bucket: ${BUCKET}, address: ${JSON.stringify(address)}, private: leave-out, moved: pages }`,
    )
    .replace('"/shop/*": "https://shop.wendlemill.example/*"', '/shop/: "https://shop.wendlemill.example/"');
  writeFileSync(config, text);
}

/** The demo data beside the program, in a checkout or an installed package. */
function demoFolder(name: 'wendle-mill' | 'as-it-arrived' | 'orders'): string {
  const config = besideProgram(join('demo', name, 'fenestra.yaml'));
  if (config === undefined)
    throw new FenestraError('DEFECT', { reason: 'the demo data is not beside the program' });
  return dirname(config);
}

async function ask(base: string, paths: readonly string[], terminal: Terminal): Promise<object[]> {
  const answers: object[] = [];
  const { createAgent } = await import('../../endpoint/index.js');
  const agent = createAgent({ connections: 1, timeoutMs: 5000 });
  try {
    for (const path of paths) {
      const { statusCode, headers, body } = await agent.request({ origin: base, path, method: 'GET' });
      const text = await body.text();
      const title = /<title>([^<]*)<\/title>/.exec(text)?.[1];
      const where = headers['location'] === undefined ? '' : ` → ${String(headers['location'])}`;
      answers.push({ url: `${base}${path}`, status: statusCode, headers, title });
      const paint = statusCode < 400 ? terminal.paint.good : terminal.paint.bad;
      terminal.print(
        `  GET ${base}${path}\n    ${paint(String(statusCode))}${where}${title === undefined ? '' : `  "${title}"`}${headers['cache-control'] === undefined ? '' : `  ${terminal.paint.soft(String(headers['cache-control']))}`}`,
      );
    }
    return answers;
  } finally {
    await agent.destroy();
  }
}
