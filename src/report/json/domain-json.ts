/** The JSON documents of host names. */
import { isoMoment } from '../../core/words/moments.js';
import type { CheckedNames } from '../../core/dns/checked-names.js';
import type { ShownRehearsal } from '../../core/dns/rehearse-move.js';
import type { ListedRecords } from '../../core/dns/listed-records.js';

export const recordsJson = (listed: ListedRecords): object => ({
  bucketHost: listed.bucketHost,
  addresses: listed.addresses,
  names: listed.needs.map(({ name, role, zone, isApex, ways }) => ({ name, role, zone, apex: isApex, ways })),
  nameServers: listed.nameServers,
  zones: listed.zones,
  changes: listed.changes,
  faults: listed.faults,
  plan: listed.plan.map(({ at, ...step }) => ({ at: isoMoment(at), ...step })),
  ...(listed.ttls ? { ttls: listed.ttls } : {}),
});

export const namesJson = (
  { at, names, target, bucketHost, seconds }: CheckedNames,
  waited?: number,
): object => ({
  at: isoMoment(at),
  bucketHost,
  addresses: target.addresses,
  names: names.map(({ need, facts, reaches, wait, oldAnswers, findings, formerServers, awaited }) => ({
    name: need.name,
    role: need.role,
    zone: facts.zone,
    via: facts.via,
    records: facts.reached.chain,
    parents: facts.parents,
    servers: facts.servers,
    ...(awaited.length > 0 ? { awaited } : {}),
    ...(formerServers.length > 0 ? { former: formerServers } : {}),
    reaches,
    until: wait ? isoMoment(wait.until) : null,
    ...(wait ? { because: wait.because, waitSeconds: wait.seconds } : {}),
    ...(oldAnswers ? { oldAnswers } : {}),
    findings,
  })),
  ...(waited === undefined ? {} : { waited: waited / 1000 }),
  seconds,
});

/** Seconds of the played time, from the change at the parent on. */
export const rehearsalJson = ({ port, names, played }: ShownRehearsal): object => {
  const from = (at: number | undefined): number | null => (at === undefined ? null : at - played.move.at);
  return {
    port,
    names,
    ttls: played.move.ttls,
    bound: from(played.bound),
    lastMoved: from(played.lastMoved),
    visitors: played.visitors.map(({ believes, movedAt, lastOld }) => ({
      believes,
      movedAt: from(movedAt),
      lastOld: from(lastOld),
    })),
  };
};
