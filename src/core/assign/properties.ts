/** The properties that rules assign to objects: the one table that the config, the cascade, the trace and the texts read. */
import type { CachePolicy } from '../caching/cache-result.js';

/** What a value has to look like in the config. */
export type PropertyShape =
  | { readonly is: 'media type' | 'cache' }
  | { readonly is: 'choice'; readonly choices: readonly string[] }
  | {
      readonly is: 'text';
      /** What it is, with its article. */
      readonly what: string;
      readonly pattern: RegExp;
      /** What is said of a value that the pattern does not match. */
      readonly fault: string;
      /** The pattern for editors, where theirs can say it. */
      readonly json?: string;
    };

export interface PropertyEntry {
  /** For people. */
  readonly label: string;
  /** The headers that it sets. */
  readonly headers: readonly string[];
  /** One line for the docs. */
  readonly explain: string;
  readonly shape: PropertyShape;
}

const ENCODINGS = ['gzip', 'br'] as const;
/** What objects can be compressed with when they are published. */
export type Encoding = (typeof ENCODINGS)[number];

/** In the order in which they are shown. The content type is settled first: rules by `type` need it. */
export const ASSIGNABLE = {
  contentType: {
    label: 'content type',
    headers: ['Content-Type'],
    explain: 'The Content-Type, sent as written.',
    shape: { is: 'media type' },
  },
  cache: {
    label: 'cache',
    headers: ['Cache-Control', 'Expires', 'Pragma'],
    explain: 'How long it may be kept.',
    shape: { is: 'cache' },
  },
  encoding: {
    label: 'encoding',
    headers: ['Content-Encoding'],
    explain: 'Compresses at publish time and labels the object.',
    shape: { is: 'choice', choices: ENCODINGS },
  },
  language: {
    label: 'language',
    headers: ['Content-Language'],
    explain: 'The Content-Language.',
    shape: {
      is: 'text',
      what: 'a language tag',
      pattern: /^[A-Za-z]{2,8}(?:-[A-Za-z0-9]{1,8})*(?:, ?[A-Za-z]{2,8}(?:-[A-Za-z0-9]{1,8})*)*$/,
      fault: 'is a language tag such as en or en-GB',
    },
  },
  disposition: {
    label: 'disposition',
    headers: ['Content-Disposition'],
    explain: 'The Content-Disposition, such as `attachment`.',
    shape: {
      is: 'text',
      what: 'a disposition',
      pattern: /^(?:inline|attachment)(?:[\t ]*;[\x20-\x7e]+)?$/,
      fault: 'begins with inline or attachment',
      json: '^(inline|attachment)',
    },
  },
} as const satisfies Record<string, PropertyEntry>;

export type Property = keyof typeof ASSIGNABLE;
export const PROPERTIES = Object.keys(ASSIGNABLE) as readonly Property[];

/** What a rule gives: texts, but for how long something may be kept. */
export type AssignedValues = {
  readonly [P in Property]?: P extends 'cache' ? CachePolicy : P extends 'encoding' ? Encoding : string;
};

const BY_HEADER: ReadonlyMap<string, Property> = new Map(
  PROPERTIES.flatMap((property) =>
    ASSIGNABLE[property].headers.map((header): [string, Property] => [header, property]),
  ),
);

/** The property that sets a header; undefined when none does. */
export const propertyOf = (header: string): Property | undefined => BY_HEADER.get(header);
