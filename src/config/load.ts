/** Loading the config, once and before anything is touched: raw, validated, defaulted, frozen. */
import { CONFIG_NAME } from './find-config.js';
import { reasonInWords } from '../core/errors/system-error.js';
import { readFileSync } from 'node:fs';
import { dirname, resolve } from 'node:path';
import { isScalar, LineCounter, parseDocument, visit, type Document } from 'yaml';
import { ValidationError, type AnyObjectSchema } from 'yup';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import { buildConfig } from './build-config.js';
import { listCircleFaults } from './circles.js';
import { locate } from './locate.js';
import { explainSyntax, oddQuotes } from './yaml-faults.js';
import type { ParsedConfig } from './parsed-config.js';
import type { FaultParams } from './fields.js';
import { schema } from './schema.js';
import { expandWords } from './words-for-mappings.js';
import type { Config, ConfigFault } from './config.js';

/**
 * Loads a config.
 * @param path of the file, relative to the working folder
 * @param thorough looks for what a check of the site would find in the config alone, too
 * @throws FenestraError CONFIG_MISSING, CONFIG_UNREADABLE or CONFIG_FAULTS, which lists every fault
 */
export async function loadConfig(path: string, thorough = false): Promise<Config> {
  const file = resolve(path);
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    const code = systemCode(error);
    if (code === 'ENOENT')
      throw new FenestraError(
        'CONFIG_MISSING',
        { file: path, above: path === CONFIG_NAME ? ' here or in a folder above' : '' },
        error,
      );
    throw new FenestraError('CONFIG_UNREADABLE', { file: path, reason: reasonInWords(error) }, error);
  }
  const parsed = await parseConfig(text);
  if ('faults' in parsed) throw faultsError(path, parsed.faults);
  const config = buildConfig(parsed, file, dirname(file));
  const circles = thorough ? listCircleFaults(parsed, config) : [];
  if (circles.length > 0) throw faultsError(path, circles);
  return config;
}

/** Parses and validates a config's text; all faults at once, in the order of the file. Touches nothing. */
export const parseConfig = (
  text: string,
): Promise<ParsedConfig | { readonly faults: readonly ConfigFault[] }> =>
  parseYaml(text, schema, { noun: 'config', begin: 'site: site' }, expandWords);

/** Some kind of file of settings. */
export interface FileKind {
  /** What it is called. */
  readonly noun: string;
  /** A line that it begins with. */
  readonly begin: string;
  /** Names of settings whose numbers are taken digit by digit, as texts. */
  readonly exact?: readonly string[];
}

/**
 * The same of any file of settings.
 * @param expand writes words in full before they are validated
 */
export async function parseYaml(
  text: string,
  shape: AnyObjectSchema,
  about: FileKind,
  expand?: (raw: Record<string, unknown>) => void,
): Promise<ParsedConfig | { readonly faults: readonly ConfigFault[] }> {
  try {
    return await parseAndValidate(text, shape, about, expand);
  } catch (error) {
    // The parser goes one call deeper for each level.
    if (!(error instanceof RangeError)) throw error;
    return {
      faults: [
        { line: 1, column: 1, path: '', message: `the ${about.noun} is nested too deeply to be read` },
      ],
    };
  }
}

async function parseAndValidate(
  text: string,
  shape: AnyObjectSchema,
  about: FileKind,
  expand: ((raw: Record<string, unknown>) => void) | undefined,
): Promise<ParsedConfig | { readonly faults: readonly ConfigFault[] }> {
  const lines = new LineCounter();
  const document = parseDocument(text, {
    lineCounter: lines,
    prettyErrors: false,
    customTags: [],
    // Its warnings go past every report; what they are about is a fault below.
    logLevel: 'error',
  });
  if (document.errors.some(({ code }) => code === 'RESOURCE_EXHAUSTION')) throw new RangeError('nesting');
  if (document.errors.length > 0) {
    // What comes after the first is mostly of its making.
    const [first] = document.errors;
    return { faults: first ? [explainSyntax(text, first.pos[0], first.message, lines)] : [] };
  }
  const reserved = [...reservedNames(document, lines), ...oddQuotes(document, lines)];
  if (reserved.length > 0) return { faults: reserved };
  keepDigits(document, about.exact ?? []);
  let raw: unknown;
  try {
    raw = document.toJS({ maxAliasCount: 50 });
  } catch (error) {
    if (error instanceof RangeError) throw error;
    return {
      faults: [explainSyntax(text, 0, error instanceof Error ? error.message : String(error), lines)],
    };
  }
  if (typeof raw !== 'object' || raw === null || Array.isArray(raw)) {
    const kind = Array.isArray(raw) ? 'a list' : raw == null ? 'empty' : 'a single value';
    return {
      faults: [
        {
          line: 1,
          column: 1,
          path: '',
          message: `the ${about.noun} is ${kind}; it is a mapping, \`name: value\` lines`,
          becomes: about.begin,
        },
      ],
    };
  }
  expand?.(raw as Record<string, unknown>);
  const faults = await validate(raw as Record<string, unknown>, shape, document, lines);
  return faults.length > 0 ? { faults } : { raw: raw as Record<string, unknown>, document, lines };
}

/** A number that YAML reads has some sixteen digits, and other ones than were written where they are many. */
function keepDigits(document: Document, names: readonly string[]): void {
  if (names.length === 0) return;
  visit(document, {
    Pair(_position, { key, value }) {
      if (!isScalar(key) || !names.includes(String(key.value)) || !isScalar(value)) return;
      const { source } = value;
      if (typeof value.value === 'number' && source !== undefined && /^\d/.test(source)) value.value = source;
    },
  });
}

/** Names that every JavaScript object has: they can be no setting, and no library should meet them as one. */
function reservedNames(document: Document, lines: LineCounter): ConfigFault[] {
  const faults: ConfigFault[] = [];
  visit(document, {
    Pair(_position, { key }) {
      if (!isScalar(key) || !(String(key.value) in Object.prototype)) return;
      const { line, col } = lines.linePos(key.range?.[0] ?? 0);
      faults.push({
        line: Math.max(line, 1),
        column: Math.max(col, 1),
        path: '',
        message: `"${String(key.value)}" is not a setting here`,
      });
    },
  });
  return faults;
}

async function validate(
  raw: Record<string, unknown>,
  shape: AnyObjectSchema,
  document: Document,
  lines: LineCounter,
): Promise<ConfigFault[]> {
  try {
    await shape.required().validate(raw, { abortEarly: false, context: raw });
    return [];
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    const all = error.inner.length > 0 ? error.inner : [error];
    const faults = all.map((inner) => toFault(inner, document, lines));
    faults.sort((a, b) => a.line - b.line || a.column - b.column);
    const unique = new Map(faults.map((fault) => [`${fault.line}:${fault.column}:${fault.message}`, fault]));
    return [...unique.values()];
  }
}

function toFault(error: ValidationError, document: Document, lines: LineCounter): ConfigFault {
  const path = error.path ?? '';
  const params = error.params as FaultParams | undefined;
  const place = locate(document, lines, path, params?.inName === true);
  const own = error.message.startsWith(path) ? error.message.slice(path.length).trim() : error.message;
  const startsItself = /^(?:["`]|an? |the |its |no )/.test(own);
  return {
    ...place,
    path,
    message: startsItself || path === '' ? own : `${path} ${own}`,
    ...(params?.becomes === undefined ? {} : { becomes: params.becomes }),
  };
}

/** What is meant may stand in quotes, which are shown as they are. */
const onOneLine = (text: string): string =>
  JSON.stringify(text)
    .slice(1, -1)
    .replace(/\\(["\\])/g, '$1');

export const formatFault = (file: string, { line, column, message, becomes }: ConfigFault): string =>
  `${file}:${line}:${column}: ${message}${becomes === undefined ? '' : ` — did you mean ${onOneLine(becomes)}?`}`;

export const faultsError = (file: string, faults: readonly ConfigFault[]): FenestraError =>
  new FenestraError('CONFIG_FAULTS', {
    faults: faults.map((fault) => formatFault(file, fault)).join('\n'),
    count: faults.length === 1 ? 'it' : `all ${faults.length}`,
  });
