/** Answering as a caching resolver on a port of this machine, over UDP and TCP. */
import { createSocket } from 'node:dgram';
import { createServer, type Socket } from 'node:net';
import type { FenestraError } from '../core/errors/catalogue.js';
import { listenError } from '../core/errors/listen-error.js';
import type { NameRecord } from '../core/dns/record.js';
import { packAnswer, unpackQuery, type AskedType } from './message.js';

export interface NameAnswer {
  readonly rcode: 'NOERROR' | 'NXDOMAIN' | 'SERVFAIL' | 'REFUSED';
  readonly records: readonly NameRecord[];
}

export interface AnsweringNames {
  readonly port: number;
  close(): Promise<void>;
}

const IDLE_MS = 10_000;
const MAX_STREAMS = 64;
const MAX_QUERY = 4096;

/** Answers one question after the other (RFC 7766 section 6.2.1), and reads no further until the answers are taken. */
function answerStream(socket: Socket, answer: (bytes: Buffer) => Buffer | undefined): void {
  let held: Buffer = Buffer.alloc(0);
  const work = (): void => {
    while (held.length >= 2 && held.length >= 2 + held.readUInt16BE(0)) {
      const length = held.readUInt16BE(0);
      const reply = answer(held.subarray(2, 2 + length));
      held = held.subarray(2 + length);
      if (!reply) return void socket.destroy();
      const head = Buffer.alloc(2);
      head.writeUInt16BE(reply.length);
      if (!socket.write(Buffer.concat([head, reply]))) {
        socket.pause();
        socket.once('drain', () => {
          socket.resume();
          work();
        });
        return;
      }
    }
    if (held.length > MAX_QUERY) socket.destroy();
  };
  socket.on('data', (piece: Buffer) => {
    held = held.length === 0 ? piece : Buffer.concat([held, piece]);
    work();
  });
}

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function answerNames(
  host: string,
  port: number,
  decide: (name: string, type: AskedType) => NameAnswer,
): Promise<AnsweringNames> {
  const answer = (bytes: Buffer): Buffer | undefined => {
    try {
      const asked = unpackQuery(bytes);
      if (!asked) return undefined;
      const { rcode, records } = decide(asked.query.name, asked.query.type);
      return packAnswer(asked.id, asked.query, rcode, records);
    } catch {
      // What cannot be answered is not.
      return undefined;
    }
  };
  const refuse = (error: unknown): FenestraError => listenError(error, host, port);
  const streams = new Set<Socket>();
  const server = createServer((socket) => {
    streams.add(socket);
    socket.on('close', () => streams.delete(socket)).on('error', () => socket.destroy());
    if (streams.size > MAX_STREAMS) return void socket.destroy();
    socket.setTimeout(IDLE_MS, () => socket.destroy());
    answerStream(socket, answer);
  });
  const listened = await new Promise<number>((done, failed) => {
    server.once('error', (error) => failed(refuse(error)));
    server.listen(port, host, () => done((server.address() as { port: number }).port));
  });
  const socket = createSocket(host.includes(':') ? 'udp6' : 'udp4');
  socket.on('message', (bytes, from) => {
    // Nobody can be answered at port 0, and what comes from this socket itself is no question.
    if (from.port === 0) return;
    try {
      const reply = answer(bytes);
      if (reply) socket.send(reply, from.port, from.address, () => undefined);
    } catch {
      // What cannot be answered is not: no datagram may end the process.
    }
  });
  try {
    await new Promise<void>((done, failed) => {
      socket.once('error', (error) => failed(refuse(error)));
      socket.bind(listened, host, done);
    });
  } catch (error) {
    server.close();
    throw error;
  }
  socket.on('error', () => undefined);
  return {
    port: listened,
    async close() {
      for (const stream of streams) stream.destroy();
      await Promise.all([
        new Promise<void>((done) => void socket.close(done)),
        new Promise<void>((done) => void server.close(() => done())),
      ]);
    },
  };
}
