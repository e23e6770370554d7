/**
 * The order of the files of tests: those that take longest begin first, so that no worker is left with one at the end. On
 * a fresh clone nothing is known of earlier runs. Attacks that ask how soon others are answered come later, when types and
 * lint are through.
 */
import { BaseSequencer, type TestSpecification } from 'vitest/node';

const LONGEST = [
  ...[
    'visit',
    'visit-pages',
    'releases',
    'domain',
    'versioned',
    'check',
    'swift-nodes',
    'library',
    'contributing',
  ],
  ...['front', 'swift', 'serve', 'crafted-references', 'endpoints', 'swift-contract', 'attack/swift-kills'],
  ...[
    'real-sites',
    'swift-faults',
    'attack/old-names',
    'damage',
    'swift-turn',
    'as-it-arrived',
    'first-path',
  ],
];
const rank = ({ moduleId }: TestSpecification): number => {
  const at = LONGEST.indexOf(/((?:attack\/)?[^/]+)\.test\.ts$/.exec(moduleId)?.[1] ?? '');
  return at < 0 ? LONGEST.length : at;
};

export class LongestFirst extends BaseSequencer {
  override async sort(files: TestSpecification[]): Promise<TestSpecification[]> {
    return (await super.sort(files)).sort((a, b) => rank(a) - rank(b));
  }
}
