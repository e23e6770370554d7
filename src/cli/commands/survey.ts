import type { SurveyObject } from '../../core/site/survey.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import { parsePattern } from '../../core/assign/pattern.js';
import { isMediaRange, matchesRange } from '../../core/assign/media-type.js';
import type { Candidate } from '../../core/assign/cascade.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { groupObjects } from '../../core/site/groups.js';
import { formatExplanation } from '../../report/text/explain-text.js';
import { formatSurvey } from '../../report/text/survey-text.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { defineCommand } from '../command.js';
import { openProject, surveyProject } from '../work/project.js';

interface Args {
  readonly to: string | undefined;
  readonly matching: string | undefined;
  readonly type: string | undefined;
  readonly rule: number | undefined;
  readonly findings: boolean;
  readonly explain: string | undefined;
}

export default defineCommand<Args>({
  describe:
    'Reads the site: each object with its type, its cache header, who may read it and which rule decided.',
  examples: [
    ['fenestra survey', 'the whole site'],
    ["fenestra survey --matching 'posters/**'", 'some of it'],
    ['fenestra survey --explain index.html', 'every rule that had a say in one object'],
  ],
  options: (yargs) =>
    yargs
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('matching', { type: 'string', describe: 'only keys that match a pattern', requiresArg: true })
      .option('type', {
        type: 'string',
        describe: 'only a type, or a range such as image/*',
        requiresArg: true,
      })
      .option('rule', {
        type: 'number',
        describe: 'only objects for which this rule decided something',
        requiresArg: true,
      })
      .option('findings', { type: 'boolean', default: false, describe: 'the findings alone' })
      .option('explain', { type: 'string', describe: 'the cascade for one key', requiresArg: true }),
  async run(args, terminal) {
    const project = await openProject(args);
    const filter = readFilter(args, project.config.assignments.rules.length);
    const survey = await surveyProject(project, terminal);
    if (args.explain !== undefined) {
      const object = findObject(survey, args.explain);
      const candidates = survey.cascade.explain(object.key);
      terminal.print(formatExplanation(object, candidates, terminal.paint));
      terminal.printJson({
        key: object.key,
        headers: object.headers,
        public: object.public,
        cascade: candidates,
      });
      return undefined;
    }
    const matching = filter && survey.objects.filter(filter);
    const shown = matching ? new Set(matching.map(({ key }) => key)) : undefined;
    const findings = shown
      ? survey.findings.filter(({ key }) => key !== undefined && shown.has(key))
      : survey.findings;
    const { bucket, name } = project.destination;
    terminal.print(
      formatSurvey(
        {
          site: `${project.config.siteAsWritten.replace(/\/?$/, '/')}`,
          bucket,
          destination: name,
          objects: () => matching ?? survey.objects,
          groups: matching ? groupObjects(matching) : survey.groups,
          findings,
          leftOut: survey.walked.leftOut,
          all: survey.count,
        },
        terminal.paint,
        args.findings,
      ),
    );
    if (terminal.json) {
      const objects = matching ?? survey.objects;
      terminal.printJson({
        site: project.config.site,
        objects: objects.map((object) => ({
          ...toJson(object),
          lost: listLost(survey.cascade.explain(object.key)),
        })),
        totals: {
          objects: objects.length,
          bytes: sum(objects),
          public: objects.filter((object) => object.public).length,
          leftOut: survey.walked.leftOut,
          read: survey.read,
        },
        findings,
      });
    }
    return undefined;
  },
});

const sum = (objects: readonly SurveyObject[]): number =>
  objects.reduce((bytes, { size }) => bytes + size, 0);

/** The rules and defaults that matched an object and did not decide, by property. */
function listLost(candidates: readonly Candidate[]): Record<string, string[]> {
  const lost: Record<string, string[]> = {};
  for (const { property, by, outcome } of candidates)
    if (outcome !== 'decided') (lost[property] ??= []).push(by);
  return lost;
}

const toJson = ({ key, size, digest, headers, decision, public: open, facts }: SurveyObject): object => ({
  key,
  size,
  digest,
  contentType: headers['Content-Type'] ?? null,
  cacheControl: headers['Cache-Control'] ?? null,
  headers,
  public: open,
  decidedBy: {
    contentType: decision.decidedBy.contentType?.by ?? null,
    cache: decision.decidedBy.cache?.by ?? null,
    ...(decision.decidedBy.encoding ? { encoding: decision.decidedBy.encoding.by } : {}),
    ...(decision.decidedBy.language ? { language: decision.decidedBy.language.by } : {}),
    ...(decision.decidedBy.disposition ? { disposition: decision.decidedBy.disposition.by } : {}),
  },
  ...(facts.sniffed === '' ? {} : { sniffed: facts.sniffed }),
});

function readFilter(args: Args, rules: number): ((object: SurveyObject) => boolean) | undefined {
  if (args.type !== undefined && !isMediaRange(args.type)) {
    throw new FenestraError('USAGE', {
      what: `--type "${args.type}" is not a media range.`,
      fix: 'Give one such as text/html or image/*.',
    });
  }
  if (args.rule !== undefined && (!Number.isInteger(args.rule) || args.rule < 1 || args.rule > rules)) {
    throw new FenestraError('USAGE', {
      what: `--rule ${args.rule} is none of the config's rules.`,
      fix: rules === 0 ? 'The config has no rules under `assign`.' : `Give a number from 1 to ${rules}.`,
    });
  }
  const matches = args.matching === undefined ? undefined : parsePattern(args.matching);
  const { type, rule } = args;
  if (!matches && type === undefined && rule === undefined) return undefined;
  return ({ key, headers, decision }) =>
    (matches?.(key) ?? true) &&
    (type === undefined || matchesRange(type, headers['Content-Type'] ?? '')) &&
    (rule === undefined || Object.values(decision.decidedBy).some((decider) => decider.rule === rule));
}

function findObject({ objects }: SurveyedSite, wanted: string): SurveyObject {
  const key = wanted.replace(/^\//, '').normalize('NFC');
  const object = objects.find((each) => each.key === key);
  if (object) return object;
  const near = nearestWord(
    key,
    objects.map((each) => each.key),
  );
  throw new FenestraError('KEY_UNKNOWN', { key, nearest: near === undefined ? '' : `; there is ${near}` });
}
