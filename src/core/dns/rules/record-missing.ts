import { formatRecord } from '../zone-file.js';
import { isUndelegated, nameRule } from '../naming-context.js';

export const recordMissing = nameRule(
  {
    name: 'record-missing',
    level: 'error',
    explain: 'Nothing says where the name is.',
    example: 'www.wendlemill.example without any record',
    fix: 'Add the record that `fenestra domain records` shows.',
  },
  function* (context) {
    if (isUndelegated(context)) return;
    const { facts, need } = context;
    const answering = facts.servers.filter(({ outcome }) => outcome === 'answers');
    const isMissing =
      facts.via === 'resolver'
        ? facts.reached.trouble === 'missing'
        : answering.length > 0 && answering.every(({ own }) => own.length === 0);
    if (!isMissing) return;
    const [record] = need.ways.flatMap(({ records }) => records);
    yield {
      message: `${facts.name} has no record`,
      fix: record
        ? `add to the zone ${need.zone}: ${formatRecord(record, need.zone).replace(/ +/g, ' ')}`
        : `add what \`fenestra domain records\` shows`,
    };
  },
);
