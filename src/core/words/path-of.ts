/** What of an address is asked of its host: the path with the query. */
export function pathOf(url: string): string {
  const { pathname, search } = new URL(url);
  return pathname + search;
}
