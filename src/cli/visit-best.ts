/** `visit --best`: the lines of `assign` with which returning visitors ask for least. */
import { parseDuration } from '../core/caching/duration.js';
import { EXIT, FenestraError } from '../core/errors/catalogue.js';
import type { VisitInput } from '../jobs/visit/conclude.js';
import type { Project } from '../jobs/project/open-project.js';
import type { Terminal } from './terminal.js';

const MAX_BOUNDS = 10;

/** @throws FenestraError USAGE */
export function readBounds(text: string): number[] {
  const parts = text.split(',').map((part) => part.trim());
  const bounds = parts.map((part) => {
    const parsed = part === '0' ? { seconds: 0 } : parseDuration(part);
    if ('seconds' in parsed && parsed.seconds <= 31_536_000) return parsed.seconds;
    throw new FenestraError('USAGE', {
      what: `--stale-at-most "${part}" cannot be used: ${'fault' in parsed ? parsed.fault : 'it is longer than a year'}.`,
      fix: "Write durations with commas between, as in --stale-at-most '1 minute, 1 hour, 1 day'.",
    });
  });
  if (bounds.length > MAX_BOUNDS)
    throw new FenestraError('USAGE', {
      what: `--stale-at-most names ${bounds.length} bounds.`,
      fix: `Name ${MAX_BOUNDS} at the most.`,
    });
  return [...new Set(bounds)].sort((a, b) => a - b);
}

/** @throws FenestraError as visits do, and CONFIRMATION_NEEDED */
export async function visitBest(
  project: Project,
  input: VisitInput,
  {
    bounds,
    write,
    yes,
  }: { readonly bounds: readonly number[]; readonly write: boolean; readonly yes: boolean },
  terminal: Terminal,
): Promise<number> {
  if (write && bounds.length !== 1)
    throw new FenestraError('USAGE', {
      what: `--write puts one list of lines into the config, and ${bounds.length} bounds were named.`,
      fix: "Name one, as in --stale-at-most '1 hour'.",
    });
  const { findBest, RETURNS, writeBest } = await import('../jobs/visiting.js');
  const { formatBest, formatLineDiff } = await import('../report/text/best-text.js');
  const { writeRule, cacheValue, writeFlow } = await import('../config/index.js');
  const { formatDuration } = await import('../core/caching/duration.js');
  const best = await findBest(project, input, bounds, terminal.progress);
  const shown = best.byBound.map((each) => ({
    ...each,
    written: new Map(each.found.rules.map((rule) => [rule.number, writeRule(rule)] as const)),
    otherwise: each.found.otherwise ? writeFlow(cacheValue(each.found.otherwise)) : undefined,
  }));
  const returns = RETURNS.map((seconds) => (seconds === 0 ? 'at once' : formatDuration(seconds))).join(', ');
  terminal.print(formatBest({ ...best, byBound: shown }, returns, terminal.paint));
  const [only] = shown;
  let isWritten = false;
  if (write && only) {
    const lines = [...only.written.values()];
    const was = project.config.assignments.rules.map(writeRule);
    terminal.print(`\n${terminal.paint.strong('assign')}\n${formatLineDiff(was, lines, terminal.paint)}`);
    if (!yes && !(await terminal.askYes(`Write these lines into ${project.config.file}?`))) {
      if (!terminal.interactive)
        throw new FenestraError('CONFIRMATION_NEEDED', {
          question: `Write these lines into ${project.config.file}?`,
          option: '--yes',
        });
    } else {
      await writeBest(project, only, { lines, otherwise: only.otherwise });
      isWritten = true;
      terminal.print(`\nWritten. Next: ${terminal.paint.command('publish')}.`);
    }
  }
  terminal.printJson({
    bucket: best.bucket,
    release: best.release ?? null,
    paths: best.paths,
    returns: RETURNS,
    history: best.history ? { releases: best.history.releases, span: best.history.span } : null,
    now: best.now,
    bounds: shown.map(({ bound, asked, written, otherwise, lines, saves, found }) => ({
      bound,
      asked,
      assign: [...written].map(([rule, line]) => ({
        line,
        objects: lines.get(rule)?.keys.length ?? 0,
        saves: saves.get(rule) ?? { requests: 0, bytes: 0 },
        seenOld: lines.get(rule)?.seenOld ?? 0,
        unchanged: lines.get(rule)?.unchanged ?? 0,
      })),
      otherwise: otherwise ?? null,
      left: found.left,
    })),
    written: isWritten,
  });
  return EXIT.done;
}
