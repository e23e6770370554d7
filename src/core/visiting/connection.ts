/** The line between a visitor and the site, as it is assumed. */
import { FenestraError } from '../errors/catalogue.js';

export interface Connection {
  /** Seconds for a packet to go and an answer to come. */
  readonly rtt: number;
  /** Bits a second. */
  readonly bandwidth: number;
  /** Connections to a host at once; one that carries any number of requests side by side, as HTTP/2 does. */
  readonly multiplexed: boolean;
}

/** Connections to one host over HTTP/1.1, as browsers open them. */
export const MAX_CONNECTIONS = 6;

const line = (milliseconds: number, megabits: number, multiplexed = false): Connection => ({
  rtt: milliseconds / 1000,
  bandwidth: megabits * 1e6,
  multiplexed,
});

/** Round figures of our own for kinds of lines; nothing measured. */
export const CONNECTIONS = {
  'slow phone': line(300, 1.5),
  phone: line(80, 10),
  home: line(25, 50),
  office: line(10, 200),
} as const satisfies Record<string, Connection>;

export const DEFAULT_CONNECTION = '80 ms, 10 Mbit/s';

const RATES: ReadonlyMap<string, number> = new Map([
  ['bit/s', 1],
  ['kbit/s', 1e3],
  ['mbit/s', 1e6],
  ['gbit/s', 1e9],
]);

/** @throws FenestraError USAGE */
export function parseConnection(text: string): Connection {
  const named = Object.entries(CONNECTIONS).find(([name]) => name === text.trim().toLowerCase());
  if (named) return named[1];
  const [rtt = '', bandwidth = '', over, ...rest] = text.split(',').map((part) => part.trim());
  const [, time, unit] = /^(\d+(?:\.\d+)?) ?(ms|s)$/.exec(rtt) ?? [];
  const [, rate, per = ''] = /^(\d+(?:\.\d+)?) ?([kmg]?bit\/s)$/i.exec(bandwidth) ?? [];
  const factor = RATES.get(per.toLowerCase());
  const multiplexed = over !== undefined && /^(?:http\/)?2$/i.test(over);
  const isWhole =
    rest.length === 0 && (over === undefined || multiplexed || /^(?:http\/)?1(?:\.1)?$/i.test(over));
  const seconds = Number(time) / (unit === 'ms' ? 1000 : 1);
  if (!isWhole || factor === undefined || !(seconds <= 60) || !(Number(rate) > 0))
    throw new FenestraError('USAGE', {
      what: `--connection "${text}" is no connection.`,
      fix: `Write it as '80 ms, 10 Mbit/s', with ', HTTP/2' behind it where one connection carries all; or name one: ${Object.keys(CONNECTIONS).join(', ')}.`,
    });
  return { rtt: seconds, bandwidth: Number(rate) * factor, multiplexed };
}
