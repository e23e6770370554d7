/** One question to servers that are slow, old, cut off or hostile, over real sockets. */
import { createSocket, type Socket as Datagrams } from 'node:dgram';
import { once } from 'node:events';
import { createServer, type AddressInfo, type Server, type Socket } from 'node:net';
import * as packet from 'dns-packet';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { askServer } from './ask-server.js';
import { packAnswer, unpackAnswer, type Query } from './message.js';

const QUERY: Query = { name: 'www.mill.example', type: 'A' };
const RECORD = { name: QUERY.name, type: 'A', ttl: 60, data: '192.0.2.1' };
const open: (Datagrams | Server)[] = [];
afterAll(() => {
  for (const each of open) each.close();
});

interface Asked {
  readonly id: number;
  /** Whether it offers more room than a plain answer has. */
  readonly isExtended: boolean;
  /** From 1. */
  readonly time: number;
}

/** One port for both; the one that TCP gets may be taken for UDP. */
async function listenOnBoth(tcp: Server): Promise<{ readonly udp: Datagrams; readonly port: number }> {
  for (;;) {
    tcp.listen(0, '127.0.0.1');
    await once(tcp, 'listening');
    const { port } = tcp.address() as AddressInfo;
    const udp = createSocket('udp4');
    const isFree = new Promise<boolean>((done) => {
      udp.once('listening', () => done(true)).once('error', () => done(false));
    });
    udp.bind(port, '127.0.0.1');
    if (await isFree) return { udp, port };
    udp.close();
    tcp.close();
    await once(tcp, 'close');
  }
}

/** @param say what comes back over UDP @param overTcp what a connection does, where any is taken */
async function server(
  say: (asked: Asked) => readonly Buffer[],
  overTcp?: (socket: Socket, id: number) => void,
): Promise<{ readonly address: string; readonly port: number; readonly heard: Asked[] }> {
  const heard: Asked[] = [];
  const tcp = createServer((socket) => {
    socket.on('error', () => undefined);
    socket.once('data', (bytes) => overTcp?.(socket, bytes.readUInt16BE(2)));
  });
  const { udp, port } = await listenOnBoth(tcp);
  open.push(udp);
  if (overTcp) open.push(tcp);
  else tcp.close();
  udp.on('message', (bytes, from) => {
    const { id = 0, additionals = [] } = packet.decode(bytes);
    const asked = { id, isExtended: additionals.length > 0, time: heard.length + 1 };
    heard.push(asked);
    for (const reply of say(asked)) udp.send(reply, from.port, from.address);
  });
  return { address: '127.0.0.1', port, heard };
}

const good = (id: number): Buffer => packAnswer(id, QUERY, 'NOERROR', [RECORD]);
const CUT = 0x02;
const cut = (id: number): Buffer => {
  const bytes = packAnswer(id, QUERY, 'NOERROR', []);
  bytes[2] = (bytes[2] ?? 0) | CUT;
  return bytes;
};
const withCode = (id: number, code: number): Buffer => {
  const bytes = packAnswer(id, QUERY, 'NOERROR', []);
  bytes[3] = ((bytes[3] ?? 0) & 0xf0) | code;
  return bytes;
};
const framed = (bytes: Buffer, length = bytes.length): Buffer => {
  const head = Buffer.alloc(2);
  head.writeUInt16BE(length);
  return Buffer.concat([head, bytes]);
};
/** A name that leads back to itself. */
const circular = (id: number): Buffer => {
  const bytes = good(id);
  bytes.writeUInt16BE(0xc00c, 12);
  return bytes;
};
const elsewhere = (id: number): Buffer =>
  packAnswer(id, { ...QUERY, name: 'www.other.example' }, 'NOERROR', []);
const [FORMERR, REFUSED] = [1, 5];

describe.concurrent('a server', () => {
  it.each<[string, (asked: Asked) => readonly Buffer[], number]>([
    ['that answers', ({ id }) => [good(id)], 1],
    ['that answers when it is asked again', ({ id, time }) => (time < 2 ? [] : [good(id)]), 2],
    ['that knows no extension', ({ id, isExtended }) => [isExtended ? withCode(id, FORMERR) : good(id)], 2],
    ['behind whose answer strangers send theirs', ({ id }) => [good(id ^ 1), elsewhere(id), good(id)], 1],
    ['that sends scraps before', ({ id }) => [Buffer.alloc(0), Buffer.from('no'), circular(id), good(id)], 1],
  ])('%s is understood', async (_, say, times) => {
    const place = await server(say);
    const asked = await askServer(place, QUERY);
    expect(asked).toMatchObject({ message: { rcode: 'NOERROR', answers: [RECORD] } });
    expect(place.heard).toHaveLength(times);
  });

  it('that refuses says so', async () => {
    const asked = await askServer(await server(({ id }) => [withCode(id, REFUSED)]), QUERY);
    expect(asked).toMatchObject({ message: { rcode: 'REFUSED', answers: [] } });
  });

  it.each<[string, (asked: Asked) => readonly Buffer[], string]>([
    ['says nothing', () => [], 'silent'],
    ['sends nothing but scraps', ({ id }) => [circular(id), Buffer.from('no')], 'malformed'],
    ['answers to something else', ({ id }) => [elsewhere(id)], 'malformed'],
  ])('that %s is given up after a bounded time', async (_, say, silence) => {
    const place = await server(say);
    const began = performance.now();
    expect(await askServer(place, QUERY)).toEqual({ silence });
    expect(performance.now() - began).toBeLessThan(10_000);
    expect(place.heard).toHaveLength(3);
  });

  it('that is not there is known at once', async () => {
    const udp = createSocket('udp4').bind(0, '127.0.0.1');
    await once(udp, 'listening');
    const { port } = udp.address();
    udp.close();
    expect(await askServer({ address: '127.0.0.1', port }, QUERY)).toEqual({ silence: 'unreachable' });
  });
});

describe.concurrent('an answer that is cut', () => {
  it.each<[string, ((socket: Socket, id: number) => void) | undefined, object]>([
    [
      'comes whole over TCP',
      (socket, id) => socket.end(framed(good(id))),
      { message: { answers: [RECORD] } },
    ],
    [
      'comes in single bytes',
      (socket, id) => {
        socket.setNoDelay();
        for (const byte of framed(good(id))) socket.write(Buffer.of(byte));
      },
      { message: { answers: [RECORD] } },
    ],
    ['never comes whole', (socket, id) => socket.end(framed(good(id), 5000)), { silence: 'malformed' }],
    ['is another one', (socket, id) => socket.end(framed(good(id ^ 1))), { silence: 'malformed' }],
    ['is cut off before it begins', (socket) => socket.destroy(), { silence: 'malformed' }],
    ['is of no length', (socket) => socket.end(framed(Buffer.alloc(0))), { silence: 'malformed' }],
    ['never begins', () => undefined, { silence: 'silent' }],
    ['is of a server that takes no connection', undefined, { silence: 'unreachable' }],
  ])('%s', async (_, overTcp, expected) => {
    expect(await askServer(await server(({ id }) => [cut(id)], overTcp), QUERY)).toMatchObject(expected);
  });
});

it('whatever bytes come are an answer to the question or none', () => {
  const bytes = good(7);
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(255)), { maxLength: 6 }),
      fc.nat(bytes.length),
      (spots, length) => {
        const spoiled = Buffer.from(bytes.subarray(0, length));
        for (const [at, byte] of spots) if (at < length) spoiled[at] = byte;
        const message = unpackAnswer(spoiled, 7, QUERY);
        for (const record of message
          ? [...message.answers, ...message.authorities, ...message.additionals]
          : [])
          expect([typeof record.name, typeof record.type, typeof record.ttl, typeof record.data]).toEqual([
            'string',
            'string',
            'number',
            'string',
          ]);
      },
    ),
    { numRuns: 3000, seed: 17 },
  );
});
