/** How far a step is, in one line. */
import { formatBytes, formatCount } from '../../core/words/counts.js';

/** What people read of each step. */
export const STEP_WORDS: Readonly<Record<string, string>> = {
  survey: 'Reading the site',
  name: 'Naming objects',
  compare: 'Comparing',
  send: 'Sending',
  inspect: 'Inspecting',
  probe: 'Asking',
  release: 'Publishing',
  tidy: 'Tidying up',
  verify: 'Verifying',
  visit: 'Loading pages',
  browse: 'Browsing',
  export: 'Writing files',
  seen: 'Waiting until visitors meet it',
  look: 'Looking at what the store has',
  'look-up': 'Asking name servers',
  wait: 'Waiting for the name servers',
};

interface Amount {
  readonly bytes?: number;
  readonly objects?: number;
}

const BAR = 20;

/** @param seconds since the step began @param width of the terminal */
export function formatProgress(
  step: string,
  done: Amount,
  all: Amount,
  seconds: number,
  width: number,
): string {
  const unit = all.bytes !== undefined && all.bytes > 0 ? 'bytes' : 'objects';
  const [is, of] = [done[unit] ?? 0, all[unit] ?? 0];
  const words = STEP_WORDS[step] ?? step;
  const format = (amount: number): string => (unit === 'bytes' ? formatBytes(amount) : formatCount(amount));
  const rate = seconds > 0 ? is / seconds : 0;
  const perSecond = rate > 0 ? `${format(Math.round(rate))}/s` : '';
  if (of <= 0)
    return [words, format(is), perSecond]
      .filter(Boolean)
      .join('  ')
      .slice(0, width - 1);
  const share = Math.min(1, is / of);
  const left = rate > 0 && share < 1 ? formatLeft((of - is) / rate) : '';
  const filled = Math.round(share * BAR);
  const bar = `${'█'.repeat(filled)}${'░'.repeat(BAR - filled)}`;
  const parts = [
    words,
    bar,
    `${Math.floor(share * 100)} %`,
    `${format(is)} of ${format(of)}`,
    perSecond,
    left,
  ];
  const line = parts.filter(Boolean).join('  ');
  // A narrow terminal gets what matters most.
  return line.length < width
    ? line
    : [words, `${Math.floor(share * 100)} %`, left].filter(Boolean).join('  ');
}

function formatLeft(seconds: number): string {
  const whole = Math.max(1, Math.ceil(seconds));
  if (whole < 60) return `${whole} s left`;
  const minutes = Math.round(whole / 60);
  return minutes < 60 ? `${minutes} min left` : `${Math.round(minutes / 60)} h left`;
}
