/** How many bytes the head of an answer takes as this server writes it. */
import { STATUS_CODES } from 'node:http';

/** What Node.js adds to every answer: when it was sent, and that the connection stays. */
const ADDED = 'Date: Thu, 01 Jan 1970 00:00:00 GMT\r\nConnection: keep-alive\r\nKeep-Alive: timeout=5\r\n\r\n'
  .length;

/** @param headers flat: name, value, name, value */
export function headBytes(status: number, headers: readonly string[]): number {
  let bytes = `HTTP/1.1 ${status} ${STATUS_CODES[status] ?? ''}\r\n`.length + ADDED;
  // Names and values with `: ` between and a line end behind.
  for (let at = 0; at < headers.length; at++) bytes += Buffer.byteLength(headers[at] ?? '', 'latin1') + 2;
  return bytes;
}
