/** Domain names: in lower case and without the closing dot; the root is ''. */

/** 255 on the wire, with the length of each label and the root's (RFC 1035 section 2.3.4). */
const MOST = 253;

export const toName = (text: string): string => text.replace(/\.$/, '').toLowerCase();

/** With its closing dot, as master files and answers write it. */
export const withDot = (name: string): string => `${name}.`;

export const parentOf = (name: string): string => {
  const dot = name.indexOf('.');
  return dot < 0 ? '' : name.slice(dot + 1);
};

/** Whether a name is a zone's apex or below it. */
export const isWithin = (name: string, zone: string): boolean =>
  zone === '' || name === zone || name.endsWith(`.${zone}`);

/** Whether a text is a name that can be asked for; labels may have underscores, and a star may be the first. */
export const isName = (text: string): boolean =>
  text.length > 0 &&
  text.length <= MOST &&
  /^(?:\*|[a-z0-9_](?:[a-z0-9_-]{0,61}[a-z0-9_])?)(?:\.[a-z0-9_](?:[a-z0-9_-]{0,61}[a-z0-9_])?)*$/.test(text);
