/** What is wrong with the words of a command, from what yargs says of them. */
import { looksLikeHost } from '../core/words/public-url.js';
import { nearestWord } from '../core/words/nearest-word.js';
import { actionElsewhere, meantElsewhere, optionElsewhere } from './words-elsewhere.js';

export interface Misuse {
  readonly command: string;
  /** Its positionals, as in its usage line. */
  readonly takes: string | undefined;
  /** What its first positional is one of, where that is so. */
  readonly actions?: readonly string[] | undefined;
  /** The names of its options, without dashes. */
  readonly options: readonly string[];
  /** What was given. */
  readonly words: readonly string[];
  /** What yargs says. */
  readonly said: string;
}

export function describeMisuse({ command, takes, actions, options, words, said }: Misuse): string {
  const [first = ''] = said.split('\n', 1);
  if (first.startsWith('Not enough non-option arguments'))
    return `\`fenestra ${command}\` was given too little: it takes ${takes ?? 'nothing'}${actions ? `, where the action is one of ${actions.join(', ')}` : ''}.`;

  const follows = /^Not enough arguments following: (.+)$/.exec(first)?.[1];
  if (follows !== undefined) return `--${follows} was given without a value.`;

  const unknown = /^Unknown arguments?: (.+)$/.exec(first)?.[1]?.split(', ') ?? [];
  if (unknown.length > 0) {
    // One dash is for one letter.
    const single = words.find(
      (word) => /^-[a-z][\w-]+$/i.test(word) && [...word.slice(1)].some((letter) => unknown.includes(letter)),
    );
    if (single !== undefined) {
      const name = single.slice(1);
      const near = optionElsewhere(name, options) ?? nearestWord(name, options);
      return `\`fenestra ${command}\` takes no ${single}.${didYouMean(near === undefined ? [] : [`--${near}`])}`;
    }
    const shown = unknown.map(
      (name) =>
        words.find((word) => [name, `no-${name}`].includes(optionName(word)) && word !== name) ?? name,
    );
    const colour = shown.find((word) => /^--(?:no-)?colou?rs?(?:=|$)/i.test(word));
    if (colour !== undefined)
      return `\`fenestra ${command}\` takes no ${colour}: colours are for terminals alone, and NO_COLOR=1 in the environment turns them off.`;
    const near = shown
      .filter((word) => word.startsWith('-'))
      .flatMap((word) => optionElsewhere(optionName(word), options) ?? nearOption(word, options) ?? []);
    const hints = near.map((name) => `--${name}`);
    const [only = '-'] = shown.length === 1 ? shown : [];
    const word = takes === undefined || only.startsWith('-') ? only : '-';
    const more = word.startsWith('-')
      ? meantElsewhere(optionName(word), command, options)
      : meantByWord(word, command, options);
    return `\`fenestra ${command}\` takes no ${shown.join(', ')}.${didYouMean(hints)}${more}`;
  }

  const choice = /Argument: (.+?), Given: (.+?), Choices: (.+)/.exec(said);
  if (choice) {
    const [name = '', given = '', choices = ''] = choice.slice(1);
    const known = choices.split(', ').map(unquote);
    const near = nearestWord(unquote(given), known) ?? actionElsewhere(unquote(given), known);
    const subject = takes?.includes(name) === true ? `The ${name}` : `--${name}`;
    return `${subject} cannot be ${given}: it is one of ${known.join(', ')}.${didYouMean(near === undefined ? [] : [near])}`;
  }
  return first.replace(/\.?$/, '.');
}

/** A word where none is taken: an address, a destination, or the site folder. */
function meantByWord(word: string, command: string, options: readonly string[]): string {
  if (/^https?:\/\//i.test(word)) return options.includes('at') ? didYouMean([`--at ${word}`]) : '';
  if (looksLikeHost(word) && options.includes('at'))
    return didYouMean([`--at https://${word.replace(/\/?$/, '/')}`]);
  if (/^(?:site|dist|public|build|out|www)\/?$/.test(word) && command !== 'survey')
    return ' The site folder is the one that the config names; a destination is named with --to.';
  if (command === 'survey') return ' The site folder is the one that the config names: `site: ' + word + '`.';
  return options.includes('to') && /^[a-z][\w.-]*$/i.test(word)
    ? ` A destination is named so: --to ${word}.`
    : '';
}

/** One letter is near to every word. */
const nearOption = (word: string, options: readonly string[]): string | undefined =>
  optionName(word).length > 1 ? nearestWord(optionName(word), options) : undefined;

const optionName = (word: string): string => word.replace(/^-+/, '').split('=', 1)[0] ?? '';
const unquote = (text: string): string => text.replace(/^"|"$/g, '');
const didYouMean = (near: readonly string[]): string =>
  near.length > 0 ? ` Did you mean ${near.join(' and ')}?` : '';
