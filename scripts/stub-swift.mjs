// A store that keeps nothing but names, sizes and digests, for measuring the memory of what talks to it: signs in by
// version 1, takes bodies, lists them, and gives back what lies in ledgers. Says where it listens, and ends with its input.
import { createHash } from 'node:crypto';
import { createServer } from 'node:http';

const containers = new Map();
let clock = Date.UTC(2026, 10, 1);
const listOf = (container, { prefix = '', marker = '', end_marker: end, limit = 10_000 }) => {
  const names = [...container.objects.keys()]
    .filter((name) => name.startsWith(prefix))
    .filter((name) => end === undefined || Buffer.compare(Buffer.from(name), Buffer.from(end)) < 0)
    .sort((a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b)));
  const from =
    marker === '' ? 0 : names.findIndex((name) => Buffer.compare(Buffer.from(name), Buffer.from(marker)) > 0);
  return (from < 0 ? [] : names.slice(from, from + Number(limit))).map((name) => {
    const { size, md5, at } = container.objects.get(name);
    return {
      name,
      bytes: size,
      hash: md5,
      content_type: 'text/plain',
      last_modified: new Date(at).toISOString().replace('Z', '000'),
    };
  });
};

const server = createServer((request, answer) => {
  const url = new URL(request.url, 'http://stub');
  const hash = createHash('md5');
  const isLedger = /^\/v1\/stub\/[^/]+\.ledger\//.test(url.pathname);
  let [size, kept] = [0, []];
  request.on('data', (piece) => {
    hash.update(piece);
    size += piece.length;
    if (isLedger) kept.push(piece);
  });
  request.on('end', () => {
    const end = (status, headers = {}, body = '') =>
      answer
        .writeHead(status, { 'content-length': Buffer.byteLength(body), ...headers })
        .end(request.method === 'HEAD' ? undefined : body);
    if (url.pathname === '/auth/v1.0')
      return end(200, {
        'x-auth-token': 'stub',
        'x-storage-url': `http://127.0.0.1:${server.address().port}/v1/stub`,
      });
    if (url.pathname === '/info') return end(200, {}, '{"slo":{}}');
    const [, , , container = '', ...rest] = url.pathname.split('/').map(decodeURIComponent);
    const name = rest.join('/');
    const own = containers.get(container);
    if (name === '') {
      if (container === '')
        return end(200, {}, JSON.stringify([...containers.keys()].map((each) => ({ name: each }))));
      if (request.method === 'PUT') {
        if (!own) containers.set(container, { objects: new Map(), headers: {} });
        return end(own ? 202 : 201);
      }
      if (!own) return end(404);
      if (request.method === 'POST')
        Object.assign(
          own.headers,
          Object.fromEntries(
            Object.entries(request.headers).filter(([header]) => header.startsWith('x-container-')),
          ),
        );
      if (request.method !== 'GET') return end(204, own.headers);
      return end(200, {}, JSON.stringify(listOf(own, Object.fromEntries(url.searchParams))));
    }
    if (!own) return end(404);
    const object = own.objects.get(name);
    if (request.method === 'PUT') {
      const md5 = hash.digest('hex');
      if (
        request.headers.etag &&
        request.headers.etag !== md5 &&
        url.searchParams.get('multipart-manifest') === null
      )
        return end(422);
      own.objects.set(name, {
        size,
        md5,
        at: (clock += 1000),
        body: isLedger ? Buffer.concat(kept) : undefined,
      });
      return end(201, {
        etag: url.searchParams.get('multipart-manifest') === null ? md5 : `"${request.headers.etag}"`,
      });
    }
    if (!object) return end(404);
    if (request.method === 'DELETE') {
      own.objects.delete(name);
      return end(204);
    }
    if (request.method === 'GET')
      return answer
        .writeHead(200, { etag: object.md5, 'content-length': object.body?.length ?? 0 })
        .end(object.body);
    return end(200, { etag: object.md5 });
  });
});
server.listen(0, '127.0.0.1', () => console.log(`http://127.0.0.1:${server.address().port}/auth/v1.0`));
process.stdin.on('end', () => process.exit(0)).resume();
