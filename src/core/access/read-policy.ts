/** The public-read policy: which keys of an open bucket anyone may read. */
import { parsePattern, type Matcher } from '../assign/pattern.js';
import { looksSecret } from '../site/names.js';

/** As the config gives it; null stands for the default: everything but names that look secret. */
export type ReadableSetting = { readonly keys: readonly string[]; readonly except: readonly string[] } | null;

export interface ReadVerdict {
  readonly readable: boolean;
  /** The pattern or default that decided, as a phrase. */
  readonly because: string;
}

export interface ReadPolicy {
  isReadable(key: string): boolean;
  explain(key: string): ReadVerdict;
}

/** Of a bucket's settings, what decides who may read a key. */
export interface ReadSettings {
  readonly readable: ReadableSetting;
  /** A key that is a folder's address is judged as the index document of the folder; files have no such keys. */
  readonly documents?: { readonly index: string };
}

export function createReadPolicy({ readable: setting, documents }: ReadSettings): ReadPolicy {
  if (setting === null) return DEFAULT_POLICY;
  const allow = setting.keys.map((pattern) => ({ pattern, matches: parsePattern(pattern) }));
  const except = setting.except.map((pattern) => ({ pattern, matches: parsePattern(pattern) }));
  const firstMatch = (
    list: readonly { pattern: string; matches: Matcher }[],
    key: string,
  ): string | undefined => {
    const name = key.endsWith('/') ? key + (documents?.index ?? '') : key;
    return list.find(({ matches }) => matches(name))?.pattern;
  };
  return {
    isReadable: (key) => firstMatch(allow, key) !== undefined && firstMatch(except, key) === undefined,
    explain: (key) => {
      const covered = firstMatch(allow, key);
      if (covered === undefined) {
        const patterns =
          setting.keys.length > 0 ? setting.keys.map((each) => `"${each}"`).join(', ') : 'nothing';
        return { readable: false, because: `readable.keys covers ${patterns}, not this key` };
      }
      const barred = firstMatch(except, key);
      return barred === undefined
        ? { readable: true, because: `"${covered}" under readable.keys` }
        : { readable: false, because: `"${barred}" under readable.except` };
    },
  };
}

const DEFAULT_POLICY: ReadPolicy = {
  isReadable: (key) => !looksSecret(key),
  explain: (key) =>
    looksSecret(key)
      ? { readable: false, because: 'its name looks secret, and the config has no `readable`' }
      : { readable: true, because: 'without `readable` everything is readable but names that look secret' },
};
