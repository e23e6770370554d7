/** An address as it may be shown: without the name and password that it was given with. */
export function publicUrl(url: URL): URL {
  if (url.username === '' && url.password === '') return url;
  const shown = new URL(url);
  shown.username = '';
  shown.password = '';
  return shown;
}

/** The Authorization header that an address asks for (RFC 7617); undefined when it names nobody. */
export function basicAuthorization({ username, password }: URL): string | undefined {
  if (username === '' && password === '') return undefined;
  const decode = (text: string): string => {
    try {
      return decodeURIComponent(text);
    } catch {
      return text;
    }
  };
  return `Basic ${Buffer.from(`${decode(username)}:${decode(password)}`).toString('base64')}`;
}

/** Endings of names that are no endings of files. */
const HOST_ENDINGS = /\.(?:com|org|net|info|dev|app|example|test|invalid|localhost)$/i;

/** Whether somebody has written a host name where a path or a whole address is expected. */
export function looksLikeHost(text: string): boolean {
  const [, host = '', port] =
    /^([a-z0-9-]+(?:\.[a-z0-9-]+)+)(:\d{1,5})?(?:\/|$)/i.exec(text.slice(0, 300)) ?? [];
  return host !== '' && (port !== undefined || /^www\./i.test(host) || HOST_ENDINGS.test(host));
}

/** Whether an address is of this machine. */
export const isOwnMachine = ({ hostname }: URL): boolean =>
  hostname === 'localhost' ||
  hostname.endsWith('.localhost') ||
  hostname.startsWith('127.') ||
  hostname === '[::1]';
