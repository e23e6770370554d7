/** Options of the commands that ask an endpoint. */
import { reasonInWords } from '../core/errors/system-error.js';
import { X509Certificate } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { Argv } from 'yargs';
import { FenestraError } from '../core/errors/catalogue.js';
import { ANSWER_TIME } from '../jobs/check/limits.js';

/** How an endpoint is asked, wherever one is. */
export const endpointOptions = <T>(yargs: Argv<T>) =>
  yargs
    .option('answer-time', {
      type: 'number',
      default: ANSWER_TIME,
      describe: 'with --at: seconds for a small answer to be whole; a large object has more, by its size',
      requiresArg: true,
    })
    .option('ca', {
      type: 'string',
      describe: 'with --at: a PEM file of certificates to trust beside the usual ones',
      requiresArg: true,
    });

/** @throws FenestraError USAGE */
export function readEndpointOptions(args: {
  readonly 'answer-time': number;
  readonly ca: string | undefined;
}): { readonly answerTime: number; readonly ca: string | undefined } {
  const { 'answer-time': answerTime, ca } = args;
  if (!(answerTime > 0 && answerTime <= 86_400))
    throw new FenestraError('USAGE', {
      what: `--answer-time ${answerTime} cannot be used.`,
      fix: 'Give seconds, from 0.1 to 86400.',
    });
  return { answerTime, ca: ca === undefined ? undefined : readCertificates(ca) };
}

function readCertificates(file: string): string {
  const refuse = (reason: string): FenestraError =>
    new FenestraError('USAGE', {
      what: `--ca ${file} cannot be used: ${reason}.`,
      fix: 'Name a PEM file of certificates.',
    });
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw refuse(reasonInWords(error));
  }
  try {
    // Reads the first, so that a file of something else is known before anything is asked.
    new X509Certificate(text);
    return text;
  } catch {
    throw refuse('it holds no certificate');
  }
}
