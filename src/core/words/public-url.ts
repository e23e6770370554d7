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
