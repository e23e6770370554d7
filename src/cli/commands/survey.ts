import { passes } from '../../core/check/outcome.js';
import { EXIT } from '../../core/errors/catalogue.js';
import type { Level } from '../../core/findings/finding.js';
import { groupObjects } from '../../core/site/groups.js';
import { readMatching } from '../../jobs/project/matching.js';
import { openProject } from '../../jobs/project/open-project.js';
import {
  explainObject,
  findObject,
  assertSelection,
  selectObjects,
} from '../../jobs/survey/select-objects.js';
import { readKeptPastChanges } from '../../jobs/survey/kept-past-changes.js';
import { surveyPlain, surveyProject } from '../../jobs/survey/survey-project.js';
import { surveyJson } from '../../report/json/survey-json.js';
import { formatExplanation } from '../../report/text/explain-text.js';
import { formatReferences } from '../../report/text/references-text.js';
import { wrapLines } from '../../report/text/wrap.js';
import { formatTooLong } from '../../report/text/stale-text.js';
import { formatSurvey } from '../../report/text/survey-text.js';
import { defineCommand } from '../command.js';
import { inFullOption, matchingOption, toOption } from '../options.js';

interface Args {
  readonly to: string | undefined;
  readonly matching: string | undefined;
  readonly type: string | undefined;
  readonly rule: number | undefined;
  readonly findings: boolean;
  readonly 'in-full': boolean;
  readonly explain: string | undefined;
  readonly references: string | undefined;
  readonly 'fail-on': Level | undefined;
}

export default defineCommand<Args>({
  describe:
    'Reads the site: each object with its type, its cache header, who may read it and which rule decided.',
  examples: [
    ['fenestra survey', 'the whole site'],
    ["fenestra survey --matching 'posters/**'", 'some of it'],
    ['fenestra survey --explain index.html', 'every rule that had a say in one object'],
    ['fenestra survey --references assets/mill.css', 'who refers to it, and how that is rewritten'],
  ],
  options: (yargs) =>
    inFullOption(
      matchingOption(toOption(yargs), 'only keys that match a pattern'),
      'every object, and every finding with every place',
    )
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
      .option('fail-on', {
        choices: ['error', 'warning', 'note'] as const,
        describe: 'end with exit code 1 where a finding is at this level or above',
        requiresArg: true,
      })
      .option('explain', { type: 'string', describe: 'the cascade for one key', requiresArg: true })
      .option('references', {
        type: 'string',
        describe: 'who refers to one key, and how each reference is written when it is published',
        requiresArg: true,
      }),
  async run(args, terminal) {
    const selection = { matching: readMatching(args.matching), type: args.type, rule: args.rule };
    const project = await openProject(args);
    assertSelection(selection, project.config.assignments.rules.length);
    const survey = await surveyProject(project, terminal.progress);
    if (args.explain !== undefined) {
      const object = findObject(survey, args.explain);
      const candidates = explainObject(survey, object);
      const { key, headers, public: open } = object;
      terminal.print(formatExplanation(object, candidates, terminal.paint));
      terminal.printJson({ key, headers, public: open, cascade: candidates });
      return undefined;
    }
    if (args.references !== undefined) {
      const { listReferences } = await import('../../jobs/texts.js');
      const plain = await surveyPlain(project, terminal.progress);
      const wanted = findObject(survey, args.references);
      const list = listReferences(project, plain, survey, wanted, terminal.progress);
      terminal.print(formatReferences(list, args['in-full'], terminal.paint));
      terminal.printJson(list);
      return undefined;
    }
    const { objects, findings } = selectObjects(survey, selection);
    const { bucket, name } = project.destination;
    terminal.print(
      formatSurvey(
        {
          site: `${project.config.siteAsWritten.replace(/\/?$/, '/')}`,
          bucket,
          destination: name,
          objects: () => objects ?? survey.objects,
          groups: objects ? groupObjects(objects) : survey.groups,
          findings,
          leftOut: survey.walked.leftOut,
          all: survey.count,
        },
        terminal.paint,
        args.findings,
        args['in-full'],
      ),
    );
    // Of a part only what was asked for is said.
    const tooLong = objects ? undefined : await readKeptPastChanges(project, survey);
    if (tooLong)
      terminal.print(`\n${wrapLines(formatTooLong(tooLong, terminal.paint), terminal.paint.width)}`);
    if (terminal.json && args.findings) terminal.printJson({ site: project.config.site, findings });
    else if (terminal.json)
      terminal.printJson(surveyJson(project.config.site, survey, { objects, findings, tooLong }));
    const failOn = args['fail-on'];
    return failOn !== undefined && !passes(findings, [], failOn) ? EXIT.found : EXIT.done;
  },
});
