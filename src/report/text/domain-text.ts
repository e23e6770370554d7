/** Host names for a terminal: what each needs, what the name servers say, and what is waited for. */
import { formatSecond, formatWhen } from '../../core/words/moments.js';
import { withDot } from '../../core/dns/domain-name.js';
import { formatTtl } from '../../core/dns/record.js';
import { formatDuration } from '../../core/caching/duration.js';
import { countOf } from '../../core/words/counts.js';
import type { CheckedName, CheckedNames } from '../../core/dns/checked-names.js';
import { isUnheard } from '../../core/dns/naming-context.js';
import type { ListedRecords } from '../../core/dns/listed-records.js';
import { extentOf, formatFindings } from './findings-text.js';
import { columns, visible, type Paint } from './paint.js';
import { wrapLines } from './wrap.js';

export function formatRecords(listed: ListedRecords, paint: Paint): string {
  const { bucketHost, addresses, needs, nameServers, changes, faults, plan } = listed;
  const known = addresses.length > 0 ? ` (${addresses.join(', ')})` : '';
  const rows = needs.flatMap(({ name, ways, isApex }) =>
    ways.flatMap(({ kind, records }, number) => {
      const mark = number === 0 ? paint.place(name) : paint.soft(isApex ? '  or beside it' : '  or');
      if (records.length === 0)
        return [
          [mark, 'A, AAAA', '', paint.warn(`the addresses of ${bucketHost}, which nobody could say now`)],
        ];
      return records.map(({ type, ttl, data }, at) => [
        at === 0 ? mark : '',
        kind === 'service' ? paint.soft(type) : type,
        paint.soft(formatTtl(ttl)),
        visible(data),
      ]);
    }),
  );
  const parts = [
    `${paint.strong(`What the names need to lead to ${bucketHost}`)}${known}`,
    columns([['name', 'type', 'ttl', 'says'].map(paint.soft), ...rows], [], paint.width),
    ...reasons(listed, paint),
  ];
  for (const [zone, servers] of Object.entries(nameServers))
    parts.push(
      servers.length > 0
        ? `The registrar of ${zone} must have: ${servers.map(withDot).join(' ')}`
        : paint.soft(
            wrapLines(
              `The registrar of ${zone} must have the name servers of the provider that holds the zone; under nameServers: in the config they are checked.`,
              paint.width,
            ),
          ),
    );
  if (changes.length > 0) {
    const marks = {
      add: paint.good('add'),
      replace: paint.warn('replace'),
      remove: paint.warn('take out'),
      keep: paint.soft('stays'),
    };
    parts.push(
      `${paint.strong('In the zone file')}\n${columns(
        changes.map(({ change, record, lines }) => [
          marks[change],
          `${withDot(record.name)} ${record.type} ${record.data}`,
          lines.length > 0 ? paint.soft(`line ${lines.join(', ')}`) : '',
        ]),
        [],
        paint.width,
      )}`,
    );
  }
  for (const { line, what, fix } of faults)
    parts.push(wrapLines(`${paint.bad('error')} line ${line}: ${what}\n  ${fix}`, paint.width));
  if (plan.length > 0) parts.push(formatPlan(listed, paint));
  return parts.join('\n\n');
}

function reasons({ needs }: ListedRecords, paint: Paint): string[] {
  const said = new Set<string>();
  return needs.flatMap(({ name, ways }) =>
    ways.flatMap(({ because }) => {
      if (said.has(because)) return [];
      said.add(because);
      return [paint.soft(wrapLines(`${name}: ${because}.`, paint.width))];
    }),
  );
}

function formatPlan({ plan, ttls }: ListedRecords, paint: Paint): string {
  const rests = ttls?.seen
    ? `It rests on what was seen: NS at the parent ${ttls.parentNs} s, in the zone ${ttls.zoneNs} s, the records ${ttls.record} s.`
    : `Nothing was seen of the zone yet, so a day is taken for NS records and an hour for others; ${paint.command('domain check')} sees what is there.`;
  return [
    paint.strong('The move, step by step'),
    columns(
      plan.map(({ at, what, because }) => [
        paint.place(formatWhen(at)),
        `${what} ${paint.soft(`(${because})`)}`,
      ]),
      [],
      paint.width,
    ),
    paint.soft(wrapLines(rests, paint.width)),
  ].join('\n');
}

/** When a name is there for all who keep to the TTLs, in words. */
const formatUntil = ({ reaches, wait, oldAnswers, facts }: CheckedName, at: number, paint: Paint): string => {
  if (isUnheard(facts)) return paint.soft('not known');
  if (!reaches) return paint.bad('no');
  if (!wait) return oldAnswers ? paint.warn('but for old servers') : paint.good('yes');
  const seconds = Math.ceil((wait.until - at) / 1000);
  return paint.warn(
    `by ${formatSecond(wait.until)}, in ${seconds < 120 ? `${seconds} s` : formatDuration(Math.ceil(seconds / 60) * 60)}`,
  );
};

export function formatNames(checked: CheckedNames, paint: Paint, inFull: boolean): string {
  const { names, bucketHost, target, at } = checked;
  const rows = names.map((each) => {
    const { need, facts } = each;
    const good = facts.servers.filter(({ outcome }) => outcome === 'answers').length;
    const [first] = facts.servers.find(({ own }) => own.length > 0)?.own ?? facts.reached.chain;
    return [
      paint.place(need.name),
      first ? `${first.type} ${visible(first.data)}` : paint.soft(isUnheard(facts) ? 'not known' : 'nothing'),
      facts.via === 'delegation' ? `${good} of ${facts.servers.length}` : paint.soft('not asked'),
      formatUntil(each, at, paint),
    ];
  });
  const done = names.every(({ reaches, wait, oldAnswers }) => reaches && !wait && !oldAnswers);
  const all = names.every(({ reaches }) => reaches);
  const isOffline = names.every(({ facts }) => isUnheard(facts));
  const verdict = isOffline
    ? paint.bad('Nobody answered, so nothing is known of the names.')
    : done
      ? paint.good(names.length === 1 ? 'The name leads to the bucket.' : 'All names lead to the bucket.')
      : all
        ? paint.warn('The name servers are right; not every visitor has it yet.')
        : paint.bad(
            names.length === 1
              ? 'The name does not lead to the bucket yet.'
              : 'Not all names lead to the bucket yet.',
          );
  const there = isOffline
    ? 'This machine seems to be offline.'
    : target.addresses.length > 0
      ? `${bucketHost} is at ${target.addresses.join(', ')}`
      : paint.warn(`${bucketHost} itself has no address`);
  const findings = names.flatMap((each) => each.findings);
  return [
    `${paint.strong(verdict)} ${there}`,
    columns([['name', 'leads to', 'servers', 'for everybody'].map(paint.soft), ...rows], [], paint.width),
    ...(inFull ? names.map((each) => formatServers(each, paint)).filter((text) => text !== '') : []),
    ...(findings.length > 0 ? [formatFindings(distinct(findings), paint, extentOf(inFull, 30))] : []),
  ].join('\n\n');
}

/** Names in one zone share what is wrong with it. */
const distinct = (findings: readonly CheckedName['findings'][number][]): CheckedName['findings'] =>
  findings.filter(
    ({ rule, message }, at) =>
      findings.findIndex((each) => each.rule === rule && each.message === message) === at,
  );

function formatServers({ need, facts, formerServers, awaited }: CheckedName, paint: Paint): string {
  const rows = [
    ...facts.parents.map(({ server, address, outcome, ns, nsTtl }) => [
      'parent',
      `${server} ${paint.soft(address)}`,
      outcome,
      `${ns.join(' ')} ${paint.soft(`${nsTtl} s`)}`,
    ]),
    ...[
      ...facts.servers.map((server) => ({ ...server, as: 'zone' })),
      ...awaited.map((server) => ({ ...server, as: 'to come' })),
      ...formerServers.map((server) => ({ ...server, as: 'before' })),
    ].map(({ as, server, address, outcome, serial, own, signing }) => [
      as,
      `${server} ${paint.soft(address)}`,
      outcome,
      [
        serial === undefined ? '' : `serial ${serial}`,
        signing?.until === undefined ? '' : `signed until ${formatWhen(signing.until)}`,
        ...own.map(({ type, data, ttl }) => `${type} ${data} ${ttl} s`),
      ]
        .filter(Boolean)
        .join(', '),
    ]),
  ];
  return rows.length === 0
    ? ''
    : `${paint.strong(need.name)} ${paint.soft(`in the zone ${facts.zone}, ${countOf(facts.servers.length, 'server')}`)}\n${columns(rows, [], paint.width)}`;
}
