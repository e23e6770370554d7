import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test } from 'vitest';
import { request } from 'undici';
import { Pools } from './pools.js';

test('connections are kept after a lone HEAD, however many requests follow it', async () => {
  let connections = 0;
  const server = createServer((_request, response) => response.end('tide'));
  server.on('connection', () => connections++);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address() as AddressInfo;
  const dispatcher = new Pools({ connections: 4, pipelining: 1 });
  const ask = async (method: 'GET' | 'HEAD'): Promise<void> => {
    const { body } = await request(`http://127.0.0.1:${port}/`, { method, dispatcher });
    await body.dump();
  };
  try {
    // undici ends the connection of a HEAD.
    await ask('HEAD');
    for (let turn = 0; turn < 20; turn++) await Promise.all(Array.from({ length: 4 }, () => ask('GET')));
    expect(connections).toBeLessThanOrEqual(5);
  } finally {
    await dispatcher.close();
    server.close();
  }
});
