/** Where a name server answers. */

export interface ServerPlace {
  /** An IP address. */
  readonly address: string;
  readonly port: number;
}

/** Where name servers answer. */
export const NAMES_PORT = 53;

const isFour = (text: string): boolean =>
  /^\d{1,3}(?:\.\d{1,3}){3}$/.test(text) && text.split('.').every((part) => Number(part) < 256);
const isSix = (text: string): boolean => text.includes(':') && URL.canParse(`http://[${text}]/`);

/** `192.0.2.1`, `192.0.2.1:5353` or `[2001:db8::1]:53`; undefined where it is no such place. */
export function parsePlace(text: string): ServerPlace | undefined {
  if (isSix(text)) return { address: text, port: NAMES_PORT };
  const [, six, four = '', port = String(NAMES_PORT)] =
    /^(?:\[([0-9a-f:.]{2,45})\]|([0-9.]{7,15}))(?::(\d{1,5}))?$/i.exec(text) ?? [];
  const isPlace = six === undefined ? isFour(four) : isSix(six);
  return isPlace && Number(port) >= 1 && Number(port) <= 65_535
    ? { address: six ?? four, port: Number(port) }
    : undefined;
}
