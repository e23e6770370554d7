/** Of tables whose keys others have chosen: `constructor` and `__proto__` are keys like any other. */

/** What a table itself has under a key. */
export const ownValue = <T>(table: Readonly<Record<string, T>>, key: string): T | undefined =>
  Object.hasOwn(table, key) ? table[key] : undefined;
