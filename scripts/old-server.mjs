// A web server as it stands before a move to a bucket: files, with headers that somebody once set.
// Usage: node scripts/old-server.mjs FOLDER [PORT]; prints its address, and ends with its standard input.
import { createServer } from 'node:http';
import { readFileSync, statSync } from 'node:fs';
import { extname, join, normalize } from 'node:path';

const [folder = '.', port = '0'] = process.argv.slice(2);

const TYPES = {
  html: 'text/html',
  css: 'text/css',
  js: 'application/javascript',
  mjs: 'application/javascript',
  json: 'application/json',
  svg: 'image/svg+xml',
  png: 'image/png',
  jpg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  avif: 'image/avif',
  ico: 'image/x-icon',
  txt: 'text/plain',
  xml: 'application/xml',
  pdf: 'application/pdf',
  woff2: 'font/woff2',
  ttf: 'font/ttf',
  mp4: 'video/mp4',
  webm: 'video/webm',
};
const MOVED = new Map([
  ['/feed', '/feed.atom'],
  ['/aktuell/tides', '/news/tides'],
]);

/** What is sent with a file, by its path and its ending. */
function headersFor(path, ending) {
  const until = (seconds) => ({ Expires: new Date(Date.now() + seconds * 1000).toUTCString() });
  if (ending === 'html')
    return { 'Cache-Control': 'no-cache', 'X-Frame-Options': 'DENY', 'Content-Language': 'en' };
  if (/^\/pictures\//.test(path)) return { ...until(30 * 86_400), 'Cache-Control': `max-age=${30 * 86_400}` };
  if (ending === 'css' || ending === 'js' || ending === 'mjs')
    return { 'Cache-Control': 'public, max-age=600' };
  if (ending === 'pdf') return { 'Content-Disposition': 'attachment', ...until(86_400) };
  if (/^\/fonts\//.test(path))
    return { 'Cache-Control': 'max-age=31536000', 'Access-Control-Allow-Origin': '*' };
  if (/^\/data\//.test(path)) return { 'Cache-Control': 'private, max-age=60' };
  return until(3600);
}

const server = createServer((request, response) => {
  const { pathname } = new URL(request.url ?? '/', 'http://old.invalid');
  const send = (status, headers, body = '') => {
    response.writeHead(status, { Vary: 'Accept-Encoding', ...headers });
    response.end(body);
  };
  const to = MOVED.get(pathname);
  if (to !== undefined) return send(301, { Location: to });
  const path = normalize(decodeURIComponent(pathname));
  if (path.startsWith('/drafts/')) return send(403, { 'Content-Type': 'text/html' }, 'Forbidden');
  const file = join(folder, path.endsWith('/') ? `${path}index.html` : path);
  let stats;
  try {
    stats = statSync(file);
  } catch {
    return send(404, { 'Content-Type': 'text/html' }, readFileSync(join(folder, 'not-found.html')));
  }
  if (stats.isDirectory()) return send(301, { Location: `${pathname}/` });
  const ending = extname(file).slice(1);
  const type = TYPES[ending];
  send(
    200,
    {
      ...(type ? { 'Content-Type': type } : {}),
      'Last-Modified': stats.mtime.toUTCString(),
      ...headersFor(path, ending),
    },
    readFileSync(file),
  );
});
server.listen(Number(port), '127.0.0.1', () => console.log(`http://127.0.0.1:${server.address().port}/`));
process.stdin.resume().on('end', () => process.exit(0));
