/** One question to one name server: over UDP, and over TCP where the answer was cut; every wait bounded. */
import { randomInt } from 'node:crypto';
import { createSocket } from 'node:dgram';
import { connect, isIPv6 } from 'node:net';
import type { ServerPlace } from '../core/dns/server-place.js';
import { packQuery, unpackAnswer, type Message, type Query } from './message.js';

/** Why no answer came. */
export type Silence = 'silent' | 'unreachable' | 'malformed';

export type Asked = { readonly message: Message } | { readonly silence: Silence };

/** Each wait is longer than the one before. Milliseconds. */
const WAITS = [600, 1200, 2400];
const TCP_WAIT = 4000;
/** The most that one answer can have (two bytes say how long it is). */
const MOST = 65_535;

/**
 * @param spend asked before each datagram and connection; where it answers false nothing more is sent
 * @throws nothing: what does not answer is an answer too
 */
export async function askServer(
  place: ServerPlace,
  query: Query,
  spend: () => boolean = () => true,
): Promise<Asked> {
  if (query.overTcp === true) return spend() ? overTcp(place, query, true) : { silence: 'silent' };
  let withExtension = true;
  let last: Asked = { silence: 'silent' };
  for (const wait of WAITS) {
    if (!spend()) return last;
    last = await overUdp(place, query, withExtension, wait);
    if ('silence' in last) {
      if (last.silence === 'unreachable') return last;
      continue;
    }
    const { message } = last;
    if (withExtension && (message.rcode === 'FORMERR' || message.rcode === 'NOTIMP')) {
      withExtension = false;
      continue;
    }
    // What a cut answer holds is never used.
    if (message.isTruncated) return spend() ? overTcp(place, query, withExtension) : { silence: 'silent' };
    return last;
  }
  return last;
}

function overUdp(
  { address, port }: ServerPlace,
  query: Query,
  withExtension: boolean,
  wait: number,
): Promise<Asked> {
  return new Promise((done) => {
    const id = randomInt(65_536);
    const socket = createSocket(isIPv6(address) ? 'udp6' : 'udp4');
    let [isMalformed, isEnded] = [false, false];
    const end = (asked: Asked): void => {
      if (isEnded) return;
      isEnded = true;
      clearTimeout(timer);
      socket.removeAllListeners();
      socket.on('error', () => undefined);
      socket.close();
      done(asked);
    };
    const timer = setTimeout(() => end({ silence: isMalformed ? 'malformed' : 'silent' }), wait);
    socket.on('error', () => end({ silence: 'unreachable' }));
    socket.on('message', (bytes) => {
      // Another's answer, or a late one, is waited past.
      const message = unpackAnswer(bytes, id, query);
      if (message) end({ message });
      else isMalformed = true;
    });
    // Connected, so that a closed port is told at once and nobody else's answers come.
    socket.on('connect', () => {
      socket.send(packQuery(id, query, withExtension), (error) => {
        if (error) end({ silence: 'unreachable' });
      });
    });
    try {
      socket.connect(port, address);
    } catch {
      end({ silence: 'unreachable' });
    }
  });
}

function overTcp({ address, port }: ServerPlace, query: Query, withExtension: boolean): Promise<Asked> {
  return new Promise((done) => {
    const id = randomInt(65_536);
    const socket = connect(port, address);
    let held = Buffer.alloc(0);
    const end = (asked: Asked): void => {
      clearTimeout(timer);
      socket.destroy();
      done(asked);
    };
    const timer = setTimeout(() => end({ silence: 'silent' }), TCP_WAIT);
    socket.on('error', () => end({ silence: 'unreachable' }));
    socket.on('close', () => end({ silence: 'malformed' }));
    socket.on('data', (piece: Buffer) => {
      held = Buffer.concat([held, piece]);
      if (held.length < 2) return;
      const length = held.readUInt16BE(0);
      if (held.length < 2 + length && held.length <= MOST + 2) return;
      const message = unpackAnswer(held.subarray(2, 2 + length), id, query);
      end(message ? { message } : { silence: 'malformed' });
    });
    const packed = packQuery(id, query, withExtension);
    const length = Buffer.alloc(2);
    length.writeUInt16BE(packed.length);
    socket.write(Buffer.concat([length, packed]));
  });
}
