/** What a published site answers to addresses that are made up. */
import type { Probes, SeenSite } from '../../core/adopting/learn-site.js';
import { listMovedFolders, listMoves, targetOf, type MovedFolder } from '../../core/adopting/learn-moved.js';
import { isRedirect, type SeenAnswer } from '../../core/adopting/seen.js';
import { INDEX_NAMES } from '../../core/site/document-names.js';
import type { Crawled } from './crawl-site.js';

/** Asks for addresses that are made up, so that what a host does by itself is known. */
export async function lookCloser(
  { answers, ask }: Crawled,
  at: URL,
  files: ReadonlyMap<string, string> | undefined,
): Promise<SeenSite> {
  const { origin } = at;
  const taken = new Set(answers.map(({ path }) => path));
  let name = 'fenestra-looks-for-nothing';
  while (taken.has(`/${name}`)) name += '-';
  const home = answers.find(({ path }) => path === '/');
  const named: SeenAnswer[] = [];
  for (const each of home?.status === 200 ? INDEX_NAMES : []) {
    if (taken.has(`/${each}`)) continue;
    const answer = await ask(`/${each}`);
    if (answer?.status !== 200) continue;
    named.push(answer);
    if (answer.digest === home?.digest) break;
  }
  const folders = answers
    .filter(({ path, status }) => status === 200 && path.endsWith('/') && path !== '/')
    .slice(0, 3);
  const wrong = await askAll(ask, [`/${name}`, `/${name}.html`, `${folders[0]?.path ?? '/'}${name}.html`]);
  const bare = await askAll(
    ask,
    folders.map(({ path }) => `${path.slice(0, -1)}?a=1`),
  );
  const movedFolders: MovedFolder[] = [];
  for (const folder of listMovedFolders(listMoves(answers, origin)).slice(0, 100)) {
    const [answer] = await askAll(ask, [encodeURI(folder.from.slice(0, -1)) + name]);
    if (answer && isRedirect(answer) && targetOf(answer, origin) === encodeURI(folder.to.slice(0, -1)) + name)
      movedFolders.push(folder);
  }
  const probes: Probes = { wrong, bare, movedFolders };
  const all = [...answers, ...named.filter(({ digest }) => digest === home?.digest)];
  return { origin, answers: all, probes, ...(files ? { files } : {}) };
}

async function askAll(ask: Crawled['ask'], targets: readonly string[]): Promise<SeenAnswer[]> {
  const found: SeenAnswer[] = [];
  for (const target of targets) {
    const answer = await ask(target);
    if (answer) found.push(answer);
  }
  return found;
}
