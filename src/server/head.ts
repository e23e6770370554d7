/** The head of an answer as this server writes it. */
import type { ServerResponse } from 'node:http';
import statuses from 'statuses';
import { KEPT_FOR } from './bounds.js';

const KEPT = ['Keep-Alive', `timeout=${KEPT_FOR}`] as const;

/**
 * Begins an answer, and says for how long its connection waits for the next request.
 * @param headers flat: name, value, name, value
 */
export function writeHead(response: ServerResponse, status: number, headers: readonly string[]): void {
  response.writeHead(status, response.shouldKeepAlive ? [...headers, ...KEPT] : (headers as string[]));
}

/** What every answer has beside its own: when it was sent, and that the connection stays. */
const ADDED = `Date: Thu, 01 Jan 1970 00:00:00 GMT\r\nConnection: keep-alive\r\n${KEPT.join(': ')}\r\n\r\n`
  .length;

/** How many bytes it takes. @param headers flat: name, value, name, value */
export function headBytes(status: number, headers: readonly string[]): number {
  let bytes = `HTTP/1.1 ${status} ${statuses.message[status] ?? ''}\r\n`.length + ADDED;
  // Names and values with `: ` between and a line end behind.
  for (let at = 0; at < headers.length; at++) bytes += Buffer.byteLength(headers[at] ?? '', 'latin1') + 2;
  return bytes;
}
