/** The config that `init` writes. */
import { stringify } from 'yaml';

/** Where `init` puts the JSON Schema, relative to the config. */
export const SCHEMA_FILE = 'fenestra.schema.json';

export interface NewConfig {
  /** Relative to the config. */
  readonly site: string;
  readonly bucket: string;
  readonly index: string;
  readonly error: string | undefined;
  /** The addresses that an application answers itself; none where it is no application. */
  readonly appPaths: readonly string[];
  /** Whether there is a drafts folder to keep private. */
  readonly drafts: boolean;
  readonly pictures: boolean;
  readonly versioned?: { readonly patterns: readonly string[]; readonly isTaken: boolean } | undefined;
}

const word = (text: string): string => stringify(text).trim();

export const formatNewConfig = ({
  site,
  bucket,
  index,
  error,
  appPaths,
  drafts,
  pictures,
  versioned,
}: NewConfig): string => `# yaml-language-server: $schema=./${SCHEMA_FILE}
# Editors complete and check by that schema; to write it anew: fenestra config schema > ${SCHEMA_FILE}
site: ${word(site)}

destinations:
  rehearsal: { store: here, bucket: ${word(bucket)} }

documents:
  index: ${word(index)}
${error === undefined ? '  # error: not-found.html        # the page for a wrong address' : `  error: ${word(error)}`}${appPaths.length === 0 ? '' : formatApp(index, appPaths)}

# Who may read what, once the bucket is open. Opening it is a step of its own.
readable:
  keys: ["**"]
${drafts ? '  except: ["drafts/**"]' : '  # except: ["drafts/**"]'}

# Pages ask every time and names with a content hash are kept for good; this is for the rest.
otherwise: 1 hour
${versioned ? formatVersioned(versioned) : ''}
# Rules, in order; a later match wins, property by property.
${pictures ? 'assign:\n  - { type: "image/*", cache: 30 days }' : '# assign:\n#   - { type: "image/*", cache: 30 days }'}
`;

const formatApp = (index: string, appPaths: readonly string[]): string => `
  # An application of one page: these addresses are its own. Names without a star answer with 200 on every host.
  app: ${word(index)}
  appPaths: ${JSON.stringify(appPaths)}`;

/** The setting, or what it would be. */
const formatVersioned = ({ patterns, isTaken }: NonNullable<NewConfig['versioned']>): string => `
# What pages load, under names with a hash of its content, kept for good; it keeps its plain name too.
${isTaken ? '' : '# '}versioned: ${JSON.stringify(patterns)}
`;
