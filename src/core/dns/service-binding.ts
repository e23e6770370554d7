/**
 * HTTPS and SVCB records on the wire and in words (RFC 9460): a priority, a target whose name is not compressed, and
 * parameters in the order of their numbers.
 */
import { toName } from './domain-name.js';

const KEYS = ['mandatory', 'alpn', 'no-default-alpn', 'port', 'ipv4hint', 'ech', 'ipv6hint'];

const keyName = (key: number): string => KEYS[key] ?? `key${key}`;

/** @throws RangeError where the bytes are no such record */
export function formatServiceBinding(bytes: Uint8Array): string {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const priority = view.getUint16(0);
  const labels: string[] = [];
  let at = 2;
  for (;;) {
    const length = view.getUint8(at++);
    if (length === 0) break;
    if (length > 63 || at + length > bytes.length) throw new RangeError('its target is no name');
    labels.push(escapeLabel(bytes.subarray(at, at + length)));
    at += length;
  }
  const parts = [String(priority), labels.length === 0 ? '.' : `${toName(labels.join('.'))}.`];
  let last = -1;
  while (at < bytes.length) {
    const key = view.getUint16(at);
    const length = view.getUint16(at + 2);
    at += 4;
    if (key <= last || at + length > bytes.length) throw new RangeError('its parameters are out of order');
    last = key;
    const value = formatValue(key, bytes.subarray(at, at + length));
    parts.push(value === '' ? keyName(key) : `${keyName(key)}=${value}`);
    at += length;
  }
  return parts.join(' ');
}

const escapeLabel = (label: Uint8Array): string =>
  [...label]
    .map((byte) =>
      byte > 0x20 && byte < 0x7f && byte !== 0x2e && byte !== 0x5c
        ? String.fromCharCode(byte)
        : `\\${String(byte).padStart(3, '0')}`,
    )
    .join('');

function formatValue(key: number, value: Uint8Array): string {
  const view = new DataView(value.buffer, value.byteOffset, value.byteLength);
  const text = (bytes: Uint8Array): string => escapeLabel(bytes).replaceAll('\\046', '.');
  const inSteps = <T>(step: number, read: (at: number) => T): T[] => {
    if (value.length === 0 || value.length % step !== 0)
      throw new RangeError('a parameter has a wrong length');
    return Array.from({ length: value.length / step }, (_, number) => read(number * step));
  };
  switch (keyName(key)) {
    case 'mandatory':
      return inSteps(2, (at) => keyName(view.getUint16(at))).join(',');
    case 'alpn': {
      const names: string[] = [];
      for (let at = 0; at < value.length;) {
        const length = view.getUint8(at);
        if (length === 0 || at + 1 + length > value.length)
          throw new RangeError('its protocols are malformed');
        names.push(text(value.subarray(at + 1, at + 1 + length)));
        at += 1 + length;
      }
      return names.join(',');
    }
    case 'no-default-alpn':
      return '';
    case 'port':
      return inSteps(2, (at) => String(view.getUint16(at))).join(',');
    case 'ipv4hint':
      return inSteps(4, (at) => [...value.subarray(at, at + 4)].join('.')).join(',');
    case 'ipv6hint':
      return inSteps(16, (at) => formatIpv6(value.subarray(at, at + 16))).join(',');
    case 'ech':
      return btoa(String.fromCharCode(...value));
    default:
      return text(value);
  }
}

/** By RFC 5952: the longest run of zeros is left out. */
export function formatIpv6(bytes: Uint8Array): string {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const groups = Array.from({ length: 8 }, (_, group) => view.getUint16(group * 2));
  let [best, bestLength] = [-1, 1];
  for (let from = 0; from < 8; from++) {
    let length = 0;
    while (from + length < 8 && groups[from + length] === 0) length++;
    if (length > bestLength) [best, bestLength] = [from, length];
  }
  const join = (part: readonly number[]): string => part.map((group) => group.toString(16)).join(':');
  return best < 0 ? join(groups) : `${join(groups.slice(0, best))}::${join(groups.slice(best + bestLength))}`;
}

/** An alias or a plain binding; parameters may be `alpn`, `port`. @throws RangeError where it cannot be said */
export function packServiceBinding(data: string): Uint8Array {
  const [priority = '', target = '', ...parameters] = data.split(/\s+/);
  if (!/^\d{1,5}$/.test(priority)) throw new RangeError(`"${priority}" is no priority`);
  const bytes: number[] = [Number(priority) >> 8, Number(priority) & 255];
  for (const label of toName(target).split('.').filter(Boolean)) {
    if (label.length > 63) throw new RangeError(`"${target}" is no name`);
    bytes.push(label.length, ...[...label].map((letter) => letter.charCodeAt(0)));
  }
  bytes.push(0);
  const packed = parameters.map((parameter) => packParameter(parameter)).sort(([a], [b]) => a - b);
  for (const [key, value] of packed)
    bytes.push(key >> 8, key & 255, value.length >> 8, value.length & 255, ...value);
  return Uint8Array.from(bytes);
}

function packParameter(parameter: string): readonly [number, readonly number[]] {
  const [name = '', value = ''] = parameter.split(/=(.*)/s);
  const text = value.replace(/^"(.*)"$/, '$1');
  const key = KEYS.indexOf(name);
  if (name === 'alpn')
    return [
      key,
      text.split(',').flatMap((each) => [each.length, ...[...each].map((letter) => letter.charCodeAt(0))]),
    ];
  if (name === 'port') return [key, [Number(text) >> 8, Number(text) & 255]];
  if (name === 'no-default-alpn') return [key, []];
  throw new RangeError(`the parameter ${name} cannot be said here`);
}
