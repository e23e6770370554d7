import { expect, it } from 'vitest';
import type { Finding } from '../findings/finding.js';
import { makeBaseline, parseBaseline, partByBaseline, passesOnceKnown } from './baseline.js';
import type { Failure } from './compare-answer.js';

const finding = (rule: string, key: string, message: string, line = 1): Finding => ({
  rule,
  level: 'error',
  key,
  line,
  message,
  fix: '',
});
const failure = (url: string): Failure => ({
  url,
  about: 'object',
  aspect: 'type',
  expected: 'a',
  observed: 'b',
  cause: 'own-type',
});

it('knows a finding again after edits have moved it, and a failure at another endpoint', () => {
  // As earlier versions saved it: with how often it occurred, and without what it is about.
  const findings = [
    finding('r', 'a.html', '"/x/" leads nowhere (and at 3 other places)', 7),
    finding('r', 'b.html', 'm'),
  ];
  const failures = [failure('http://127.0.0.1:4680/a.css')];
  const baseline = parseBaseline(JSON.stringify(makeBaseline(findings, failures)));
  const later = partByBaseline(
    [
      { ...finding('r', 'a.html', '"/x/" leads nowhere', 20), about: '/x/' },
      finding('r', 'a.html', '"/y/" leads nowhere'),
    ],
    [failure('https://www.mill.example/a.css'), failure('https://www.mill.example/b.css')],
    baseline,
  );
  expect(later.findings.map(({ message }) => message)).toEqual(['"/y/" leads nowhere']);
  expect(later.failures.map(({ url }) => url)).toEqual(['https://www.mill.example/b.css']);
  expect([later.known, later.gone]).toEqual([2, 1]);
});

it('knows what an address is about again, wherever it stands first and however it is written', () => {
  const link = { ...finding('r', 'b.html', '"x/" leads nowhere'), about: '/x/' };
  const baseline = parseBaseline(JSON.stringify(makeBaseline([link], [])));
  const same = { ...finding('r', 'a.html', '"/x/" leads nowhere'), about: '/x/' };
  const other = { ...finding('r', 'b.html', '"x/" leads nowhere'), about: '/y/' };
  expect(partByBaseline([same, other], [], baseline)).toEqual({
    findings: [other],
    failures: [],
    known: 1,
    gone: 0,
  });
});

it('leaves all as it is without one', () => {
  const findings = [finding('r', 'a', 'm')];
  expect(partByBaseline(findings, [], undefined)).toEqual({ findings, failures: [], known: 0, gone: 0 });
});

it('passes once all is known, but for what is of the moment or of another place', () => {
  const failures = [failure('http://a.invalid/')];
  const found = { findings: [finding('r', 'a.html', 'm')], failures, failOn: 'error' } as const;
  expect(passesOnceKnown(found)).toBe(true);
  expect(passesOnceKnown({ ...found, findings: [finding('bucket-closed', 'a.html', 'm')] })).toBe(false);
  const none = { run: 1, failed: 1, retries: 0 };
  const beside = { at: 'http://b.invalid/', selfTest: true, probes: none, matrix: [], failures };
  expect(passesOnceKnown({ ...found, beside })).toBe(false);
});
