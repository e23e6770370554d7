/** What would help with an answer, in words: a command to type or config lines to change. */
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import { keyToPath } from '../../core/site/key.js';
import type { Fix } from '../../core/hosting/diagnose.js';

/** @param command makes the commands in it */
export function describeFix(fix: Fix, command: CommandLine = plainCommand): string {
  switch (fix.code) {
    case 'open-bucket':
      return command(`access open --sure ${fix.bucket}`);
    case 'allow-secret-name':
      return `its name looks secret; if it is meant for everyone, readable: { keys: ["**"] }, then ${command('publish')}`;
    case 'narrow-except':
      return `if it is meant for everyone, take ${fix.patterns.map((each) => `"${each}"`).join(', ')} out of readable.except, then ${command('publish')}`;
    case 'trim-pattern':
      return `the pattern "${fix.pattern}" has white space around it: readable: { keys: ["${fix.pattern.trim()}"] }`;
    case 'pattern-names-bucket':
      return `the pattern "${fix.pattern}" names the bucket, which is no part of a key: readable: { keys: ["${fix.becomes}"] }`;
    case 'pattern-names-folder':
      return `the policy names the folder and not what is in it: readable: { keys: ["${fix.becomes}"] }, then ${command('publish')}`;
    case 'cover-key':
      return `add "${fix.pattern}" to readable.keys, then ${command('publish')}`;
    case 'publish-key':
      return `${fix.key} is in the site folder and was never published: ${command('publish')}`;
    case 'publish-first':
      return `nothing is published yet: ${command('publish')}`;
    case 'name-index-document':
      return `there is no ${fix.index} here, and there is ${fix.found}: documents: { index: ${fix.found} }, then ${command('publish')}`;
    case 'rename-file':
      return `${fix.because}: rename the file to ${fix.key} and ${command('publish')}`;
    case 'decompress-file':
      return `${fix.because}: decompress it to ${fix.key}, let a rule with encoding: gzip compress it on the way, and ${command('publish')}`;
    case 'ask-for':
      return `${fix.because}: ask for /${fix.key}`;
    case 'near-key':
      return `did you mean /${fix.key}?`;
    case 'ask-for-version':
      return `it is published under its versioned name alone, as /${fix.versioned}: link to that by letting ${command('publish')} rewrite the reference, or add "${fix.key}" to keepPlain for addresses that others link to`;
    case 'was-removed':
      return `it was published until release ${fix.release - 1} and was removed in release ${fix.release}: put the file back and ${command('publish')}`;
    case 'was-renamed':
      return `it was renamed to ${fix.becomes} in release ${fix.release}: add moved: { permanently: { ${keyToPath(fix.key)}: ${keyToPath(fix.becomes)} } } and ${command('publish')}; ${command('check')} names the pages that still link to it`;
    case 'name-error-document':
      return 'correct the address; for a friendlier page, name an error document under documents.error';
    case 'correct-address':
      return 'correct the address, or publish an object under this key';
    case 'closing-slash':
      return `write links to it with the closing slash, which saves this redirect: /${fix.key}/`;
    case 'new-address':
      return 'link to the new address, which saves this redirect';
    case 'only-reading':
      return 'ask with GET or HEAD; a form needs a server of its own';
    case 'percent-encode':
      return 'percent-encode the address as UTF-8: a bare % is written %25';
    case 'shorten-address':
      return 'shorten the address';
    case 'make-bucket':
      return command('publish');
    case 'drop-condition':
      return 'ask again without the condition, or with the ETag that is published now';
    case 'ask-existing-bytes':
      return 'ask for bytes that the object has';
  }
}
