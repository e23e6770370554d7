import { isOnTheWay, listed, nameRule } from '../naming-context.js';
import { leadsThere } from '../required-records.js';
import { formatRecord } from '../zone-file.js';

export const recordElsewhere = nameRule(
  {
    name: 'record-elsewhere',
    level: 'error',
    explain:
      "The name leads somewhere else than to the bucket's host: to the old place, or to a page of a parking service.",
    example: 'www.wendlemill.example, still with the address of the old provider',
    fix: 'Replace the record by what `fenestra domain records` shows.',
  },
  function* ({ facts, need, target, former, wait, now }) {
    const sources =
      facts.via === 'resolver'
        ? [facts.reached.chain]
        : facts.servers.filter(({ outcome }) => outcome === 'answers').map(({ own }) => own);
    // Aliases may lead on to others on the way to the host.
    const { addresses } = facts.reached;
    const comes = addresses.length > 0 && addresses.every((address) => target.addresses.includes(address));
    const wrong = sources.filter(
      (own) =>
        own.length > 0 &&
        !leadsThere(own, need, target.addresses) &&
        !(facts.via === 'resolver' && comes) &&
        !isOnTheWay(own, facts.reached, target),
    );
    const [own] = wrong;
    if (!own) return;
    // A circle, and an alias of nothing, are spoken of as such.
    const { trouble } = facts.reached;
    if (trouble === 'loop' || (trouble === 'dangling' && facts.via === 'delegation')) return;
    const to = own.filter(({ type }) => type !== 'HTTPS').map(({ type, data }) => `${type} ${data}`);
    const [record] = need.ways.flatMap(({ records }) => records);
    const isOld = former && wait && wait.until > now ? ' (as before the change)' : '';
    yield {
      message: `${facts.name} leads to ${listed(to)}${isOld}, not to ${need.bucketHost}${target.addresses.length > 0 ? ` (${target.addresses.join(', ')})` : ''}`,
      fix: record
        ? `replace it in the zone ${need.zone} by: ${formatRecord(record, need.zone).replace(/ +/g, ' ')}`
        : 'replace it by what `fenestra domain records` shows',
    };
  },
);
