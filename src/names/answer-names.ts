/** Answering as a caching resolver on a port of this machine, over UDP and TCP. */
import { createSocket } from 'node:dgram';
import { createServer, type Socket } from 'node:net';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import type { NameRecord } from '../core/naming/record.js';
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
const MOST_STREAMS = 64;
const MOST_QUERY = 4096;

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED */
export async function answerNames(
  host: string,
  port: number,
  decide: (name: string, type: AskedType) => NameAnswer,
): Promise<AnsweringNames> {
  const answer = (bytes: Buffer): Buffer | undefined => {
    const asked = unpackQuery(bytes);
    if (!asked) return undefined;
    const { rcode, records } = decide(asked.query.name, asked.query.type);
    return packAnswer(asked.id, asked.query, rcode, records);
  };
  const refuse = (error: unknown): FenestraError =>
    systemCode(error) === 'EADDRINUSE'
      ? new FenestraError('PORT_IN_USE', { port }, error)
      : new FenestraError('LISTEN_FAILED', { host, port, reason: String(systemCode(error) ?? error) }, error);
  const streams = new Set<Socket>();
  const server = createServer((socket) => {
    streams.add(socket);
    socket.on('close', () => streams.delete(socket)).on('error', () => socket.destroy());
    if (streams.size > MOST_STREAMS) return void socket.destroy();
    socket.setTimeout(IDLE_MS, () => socket.destroy());
    let held = Buffer.alloc(0);
    socket.on('data', (piece: Buffer) => {
      held = Buffer.concat([held, piece]);
      while (held.length >= 2 && held.length >= 2 + held.readUInt16BE(0)) {
        const length = held.readUInt16BE(0);
        const reply = answer(held.subarray(2, 2 + length));
        held = held.subarray(2 + length);
        if (!reply) return void socket.destroy();
        const head = Buffer.alloc(2);
        head.writeUInt16BE(reply.length);
        socket.write(Buffer.concat([head, reply]));
      }
      if (held.length > MOST_QUERY) socket.destroy();
    });
  });
  const listened = await new Promise<number>((done, failed) => {
    server.once('error', (error) => failed(refuse(error)));
    server.listen(port, host, () => done((server.address() as { port: number }).port));
  });
  const socket = createSocket(host.includes(':') ? 'udp6' : 'udp4');
  socket.on('message', (bytes, from) => {
    const reply = answer(bytes);
    if (reply) socket.send(reply, from.port, from.address, () => undefined);
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
