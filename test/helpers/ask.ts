import { request as httpRequest, type IncomingHttpHeaders } from 'node:http';
import { connect } from 'node:net';

export interface Asked {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: Buffer;
}

/** One request with exactly the target and headers given. */
export function ask(
  port: number,
  path: string,
  options: { method?: string; host?: string; headers?: Record<string, string> } = {},
): Promise<Asked> {
  return new Promise((done, failed) => {
    const outgoing = httpRequest(
      {
        host: '127.0.0.1',
        port,
        path,
        method: options.method ?? 'GET',
        headers: { host: options.host ?? `test-mill.localhost:${port}`, ...options.headers },
        agent: false,
      },
      (response) => {
        const chunks: Buffer[] = [];
        response.on('data', (chunk: Buffer) => chunks.push(chunk));
        response.on('end', () =>
          done({ status: response.statusCode ?? 0, headers: response.headers, body: Buffer.concat(chunks) }),
        );
        response.on('error', failed);
      },
    );
    outgoing.on('error', failed);
    outgoing.end();
  });
}

/** Sends raw bytes, keeps its side open unless `end`, and returns all that comes back until the other side closes or `quiet` milliseconds pass. */
export function sendRaw(port: number, bytes: string | Buffer, quiet = 400, end = false): Promise<Buffer> {
  return new Promise((done) => {
    const chunks: Buffer[] = [];
    const socket = connect(port, '127.0.0.1', () => (end ? socket.end(bytes) : socket.write(bytes)));
    socket.setTimeout(quiet, () => socket.destroy());
    socket.on('data', (chunk: Buffer) => chunks.push(chunk));
    socket.on('error', () => socket.destroy());
    socket.on('close', () => done(Buffer.concat(chunks)));
  });
}
