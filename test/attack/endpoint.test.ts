/** Endpoints that answer with anything: each check ends in time with a verdict or a reason. */
import { createServer, type AddressInfo, type Socket } from 'node:net';
import { join } from 'node:path';
import { it } from 'vitest';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { openProject } from '../../src/library/index.js';
import { SEED } from '../helpers/chance.js';
import { fenestraJson, makeProject } from '../helpers/program.js';
import { Attack, mutate } from './attack-kit.js';

const ANSWERS = [
  'HTTP/1.1 200 OK\r\nContent-Type: text/plain\r\nContent-Length: 18\r\nETag: "a"\r\n\r\na text of the mill',
  'HTTP/1.1 304 Not Modified\r\nETag: "a"\r\n\r\n',
  'HTTP/1.1 206 Partial Content\r\nContent-Range: bytes 0-4/18\r\nContent-Length: 5\r\n\r\na tex',
  'HTTP/1.1 301 Moved\r\nLocation: http://[::1\r\nContent-Length: 0\r\n\r\n',
  'HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n5\r\na tex\r\nffffffff\r\n',
  'HTTP/1.1 103 Early Hints\r\nLink: </a>\r\n\r\nHTTP/1.1 404 Not Found\r\nContent-Length: 4\r\n\r\nnone',
  'HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: 5\r\n\r\n\x1f\x8b\x08\x00\x00',
  'HTTP/1.1 200 OK\r\nLast-Modified: never\r\nDate: x\r\nCache-Control: max-age="\r\nContent-Length: 0\r\n\r\n',
  'HTTP/1.0 200 OK\r\n\r\nuntil it closes',
];
const STRANGE = [
  '\r\n',
  '\r\n\r\n',
  '\0',
  ': ',
  'HTTP/1.1 100 Continue\r\n\r\n',
  '\u00ff',
  'Content-Length: 9\r\n',
  'x'.repeat(20_000),
];
const LONGEST_MS = 15_000;

it(`endpoints do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('endpoints', 6);
  const home = makeProject({ 'site/a.txt': 'a text of the mill' });
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'test-mill');
  const project = await openProject({ config: join(home, 'fenestra.yaml') });
  let longest = 0;
  for (let round = 0; round < attack.rounds; round++) {
    const sockets = new Set<Socket>();
    const style = attack.below(4);
    const server = createServer((socket) => {
      sockets.add(socket);
      socket.on('error', () => undefined);
      socket.on('data', (sent) => {
        const plain = Buffer.from(attack.pick(ANSWERS), 'latin1');
        const answer = attack.below(3) === 0 ? plain : mutate(plain, attack, STRANGE);
        // A HEAD at the beginning decides whether anything is there at all.
        if (style !== 0 && sent.subarray(0, 5).toString() === 'HEAD ')
          return void socket.write('HTTP/1.1 200 OK\r\nContent-Length: 0\r\n\r\n');
        if (style === 3 && attack.below(4) === 0) return;
        socket.write(answer);
        if (attack.below(3) === 0) socket.end();
      });
    });
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
    const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
    const began = performance.now();
    try {
      const { failures } = await project.check({ at, answerTime: 0.4, runTime: 6 });
      attack.note(failures.length > 0 ? 'failures were named' : 'passed');
      if (failures.length === 0) attack.harm('a check of nonsense has passed');
    } catch (error) {
      if (error instanceof FenestraError && error.code === 'ENDPOINT_DEAD')
        attack.note('said: ENDPOINT_DEAD');
      else attack.harm(error instanceof Error ? (error.stack ?? '') : String(error));
    }
    const took = performance.now() - began;
    longest = Math.max(longest, took);
    if (took > LONGEST_MS) attack.harm(`${Math.round(took)} ms`);
    for (const socket of sockets) socket.destroy();
    await new Promise((done) => server.close(done));
  }
  attack.finish({ 'longest check': `${(longest / 1000).toFixed(1)} s` });
});
