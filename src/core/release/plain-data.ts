/** Equality of plain data: what a YAML or JSON document can hold. Undefined and null count as the same. */
export function isDeepEqual(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (a == null || b == null) return (a ?? null) === (b ?? null);
  if (typeof a !== 'object' || typeof b !== 'object') return false;
  if (Array.isArray(a) !== Array.isArray(b)) return false;
  const [x, y] = [a as Record<string, unknown>, b as Record<string, unknown>];
  const names = new Set([...Object.keys(x), ...Object.keys(y)]);
  return [...names].every((name) => isDeepEqual(x[name], y[name]));
}

/** Freezes plain data all the way down. */
export function deepFreeze<T>(value: T): T {
  if (typeof value === 'object' && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    Object.values(value).forEach(deepFreeze);
  }
  return value;
}

/** JSON in which equal data has equal text: names are sorted, undefined is left out. */
export const sortedJson = (value: unknown): string =>
  JSON.stringify(value, (_, each: unknown) =>
    typeof each === 'object' && each !== null && !Array.isArray(each)
      ? Object.fromEntries(Object.entries(each).sort(([a], [b]) => (a < b ? -1 : 1)))
      : each,
  );
