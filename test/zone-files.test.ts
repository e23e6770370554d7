/**
 * Odd zone files, completed for a site: three kinds of name servers read what comes of each, everything else in it says
 * what it said, and secondaries would fetch it. The servers' own tools say what a file means.
 */
import { execFile } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { beforeEach, describe, expect, it } from 'vitest';
import { completeZone, occupantOf } from '../src/core/dns/complete-zone.js';
import { listRequiredRecords } from '../src/core/dns/required-records.js';
import { parseZone } from '../src/core/dns/zone-file.js';
import { makeFolder } from './helpers/program.js';
import { needs } from './helpers/machine.js';

const ZONE = 'mill.example';
const HOST = 'mill.store.example';
const ADDRESSES = ['192.0.2.80', '2001:db8::80'];
const NOW = Date.UTC(2026, 11, 1, 12);
const SOA = '@ 3600 IN SOA ns1.host.example. keeper.mill.example. 7 3600 600 86400 300\n';
const NS = '@ 3600 IN NS ns1.host.example.\n';
const HEAD = `$ORIGIN mill.example.\n$TTL 3600\n${SOA}${NS}`;
const OLD = 'www 300 IN A 192.0.2.1\n@ 300 IN A 192.0.2.1\n';

const FILES: Readonly<Record<string, string>> = {
  plain: `${HEAD}${OLD}mail A 192.0.2.9\n@ MX 10 mail\n`,
  'without an end of the last line': `${HEAD}www A 192.0.2.1\nmail A 192.0.2.9`,
  'with line ends of another system': `${HEAD}${OLD}mail A 192.0.2.9\n`.replaceAll('\n', '\r\n'),
  'with units of time': `$ORIGIN mill.example.\n$TTL 1h30m\n@ 1W IN SOA ns1.host.example. h ( 2026113001 2h 20M 1w2d 5m )\n${NS}www 1D A 192.0.2.1\nmail 90s A 192.0.2.9\n`,
  'with the class before the TTL': `${HEAD}www IN 300 A 192.0.2.1\nmail IN 300 A 192.0.2.9\n`,
  'without a class, in small letters': `${HEAD}www 300 a 192.0.2.1\nmail 300 a 192.0.2.9\n  txt "kept"\n`,
  'in capitals': `$ORIGIN MILL.EXAMPLE.\n$TTL 3600\n${SOA}${NS}WWW 300 IN A 192.0.2.1\nMail 300 IN A 192.0.2.9\n`,
  'with absolute names alone': `mill.example. 60 IN SOA ns1.host.example. h.mill.example. 41 2 3 604800 5\nmill.example. 60 IN NS ns1.host.example.\nwww.mill.example. 60 IN A 192.0.2.1\nmail.mill.example. 60 IN A 192.0.2.9\n`,
  'with other origins on the way': `${HEAD}$ORIGIN shop.mill.example.\nwww A 192.0.2.7\n$ORIGIN mill.example.\nwww A 192.0.2.1\n$ORIGIN example.\nmail.mill A 192.0.2.9\nmill MX 5 mail.mill\n`,
  'with names left out': `${HEAD}www A 192.0.2.1\n    A 192.0.2.2\n    TXT "beside"\nmail A 192.0.2.9\n     AAAA 2001:db8::9\n`,
  'with records over several lines': `${HEAD}www 300 IN (\n  A ; of old\n  192.0.2.1\n)\nkeys TXT ( "one" ; two )\n "three" )\nmail A 192.0.2.9\n`,
  'with brackets and semicolons in texts and comments': `${HEAD}note TXT "a ; b ( c" "d ) e" ; (\nwww A 192.0.2.1 ; ) (\nmail A 192.0.2.9\n`,
  'with escapes in names and texts': `${HEAD}a\\.b A 192.0.2.5\nsp\\032ace TXT "quote \\" and \\\\ and \\233"\nwww A 192.0.2.1\n`,
  'with a keeper whose name has a dot': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. first\\.last.mill.example. 9 2 3 604800 5\n${NS}www 60 A 192.0.2.1\n`,
  'with tabs and blank lines': `$ORIGIN mill.example.\n\n${SOA.replaceAll(' ', '\t')}\n\t \n${NS.replaceAll(' ', '\t\t')}www\t300\tIN\tA\t192.0.2.1\n\n\n`,
  'with a wildcard': `${HEAD}* A 192.0.2.1\nwww A 192.0.2.1\n*.shop A 192.0.2.7\n`,
  'with names that begin with a line': `${HEAD}www A 192.0.2.1\n_dmarc TXT "v=DMARC1; p=none"\n_443._tcp.www TLSA 3 1 1 ${'ab'.repeat(32)}\n_sip._udp SRV 10 20 5060 mail\nmail A 192.0.2.9\n`,
  'with rare types': `${HEAD}www A 192.0.2.1\n@ CAA 0 issue "authority.example"\nhost SSHFP 4 2 ${'cd'.repeat(32)}\nhost LOC 52 22 23.000 N 4 53 32.000 E -2.00m 0.00m 10000m 10m\n@ NAPTR 100 10 "u" "sip+E2U" "!^.*$!sip:mill@mill.example!" .\nhost URI 10 1 "https://host.mill.example/"\n`,
  'with types by number': `${HEAD}www A 192.0.2.1\nodd TYPE65280 \\# 4 0a000001\nmail TYPE1 \\# 4 c0000209\n`,
  'with a delegation and its glue': `${HEAD}www A 192.0.2.1\nsub NS ns1.sub\nsub NS ns.other.example.\nns1.sub A 192.0.2.33\n`,
  'with a tree that is led elsewhere': `${HEAD}www A 192.0.2.1\nold DNAME new.example.\n`,
  'with hints at old addresses': `${HEAD}@ A 192.0.2.1\n@ HTTPS 1 . alpn=h2,h3 ipv4hint=192.0.2.1 ipv6hint=2001:db8::1\nwww A 192.0.2.1\nwww HTTPS 1 . alpn=h2 port=443 ipv4hint=192.0.2.1\n`,
  'that has half of it already': `${HEAD}www CNAME ${HOST}.\n@ A 192.0.2.80\n`,
  'that has all of it already': `${HEAD}www 60 CNAME ${HOST}.\n@ A 192.0.2.80\n@ AAAA 2001:db8::80\n@ HTTPS 0 ${HOST}.\n`,
  'whose name is an alias of something else': `${HEAD}www CNAME parked.host.example.\n@ A 192.0.2.1\n`,
  'whose name has other records': `${HEAD}www A 192.0.2.1\nwww TXT "proof of something"\nwww AAAA 2001:db8::1\n`,
  'with a version by the day': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. h ( 2026120107 ; version\n 3600 600 604800 300 )\n${NS}www 60 A 192.0.2.1\n`,
  'with the last version of a day': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. h 2026120199 3600 600 604800 300\n${NS}www 60 A 192.0.2.1\n`,
  'with the greatest version': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. h 4294967295 3600 600 604800 300\n${NS}www 60 A 192.0.2.1\n`,
  'with version 0': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. h 0 3600 600 604800 300\n${NS}www 60 A 192.0.2.1\n`,
  'with seconds as its version': `$ORIGIN mill.example.\n@ 60 IN SOA ns1.host.example. h 1796000000 3600 600 604800 300\n${NS}www 60 A 192.0.2.1\n`,
  'with names of another script': `${HEAD}www A 192.0.2.1\nxn--mhle-0ra A 192.0.2.9\nxn--mhle-0ra TXT "M\\195\\188hle"\n`,
  'with very long texts': `${HEAD}www A 192.0.2.1\nbig TXT ( ${`"${'k'.repeat(255)}" `.repeat(12)})\n`,
  'with many records of one name': `${HEAD}${Array.from({ length: 200 }, (_, number) => `www A 198.51.100.${number}\n`).join('')}mail A 192.0.2.9\n`,
  'with a second TTL on the way': `${HEAD}$TTL 60\nwww A 192.0.2.1\n$TTL 86400\nmail A 192.0.2.9\nlast TXT "of a day"\n`,
};

const run = async (program: string, ...words: string[]): Promise<{ ok: boolean; out: string }> => {
  try {
    const { stdout, stderr } = await promisify(execFile)(program, words, { encoding: 'utf8' });
    return { ok: true, out: stdout + stderr };
  } catch (error) {
    const { stdout = '', stderr = '' } = error as { stdout?: string; stderr?: string };
    return { ok: false, out: stdout + stderr };
  }
};

/** By program: how each is asked to read a zone. */
const READERS = {
  'named-checkzone': (file: string) => run('named-checkzone', '-k', 'fail', '-i', 'local', ZONE, file),
  kzonecheck: (file: string) => run('kzonecheck', '-o', ZONE, file),
  'nsd-checkzone': (file: string) => run('nsd-checkzone', ZONE, file),
} as const;

const HIS = new Set([`${ZONE}.`, `www.${ZONE}.`]);
const PLACING = new Set(['A', 'AAAA', 'CNAME', 'HTTPS']);

interface Meant {
  readonly serial: number;
  /** Records in the servers' own form, but for those that lead the site's names somewhere. */
  readonly others: readonly string[];
  readonly own: readonly string[];
}

/** What a file means to a name server, as it writes it down itself. */
async function meaningOf(file: string): Promise<Meant> {
  const dump = `${file}.dump`;
  const { ok, out } = await run('named-checkzone', '-i', 'local', '-D', '-s', 'full', '-o', dump, ZONE, file);
  expect([ok, out]).toEqual([true, out]);
  const records = readFileSync(dump, 'latin1')
    .split('\n')
    .filter((line) => line !== '')
    .map((line) => line.replace(/\s+/g, ' '));
  const [soa = ''] = records.filter((record) => record.includes(' IN SOA '));
  const isHis = (record: string): boolean => {
    const [name = '', , , type = ''] = record.split(' ');
    return HIS.has(name.toLowerCase()) && PLACING.has(type);
  };
  return {
    serial: Number(soa.split(' ')[6]),
    others: records.filter((record) => record !== soa && !isHis(record)).sort(),
    own: records.filter(isHis).sort(),
  };
}

/** Whether a secondary that has the one fetches the other (RFC 1982). */
const isLater = (before: number, after: number): boolean => {
  const ahead = (after - before + 2 ** 32) % 2 ** 32;
  return ahead > 0 && ahead < 2 ** 31;
};

beforeEach(needs('servers of many kinds'));
describe.concurrent('a zone file', () => {
  it.each(Object.entries(FILES))('%s', async (_, text) => {
    const folder = makeFolder();
    const [before, after] = [join(folder, 'before'), join(folder, 'after')];
    const zone = parseZone(text, text.includes('$ORIGIN') ? undefined : ZONE);
    const wanted = listRequiredRecords(
      {
        domains: [`www.${ZONE}`],
        movedHosts: [ZONE],
        bucketHost: HOST,
        addresses: ADDRESSES,
        ttl: 3600,
        occupantOf: (name) => occupantOf(zone, name),
      },
      () => ZONE,
    );
    const completed = completeZone(text, zone, wanted, NOW);
    writeFileSync(before, text);
    writeFileSync(after, completed.text);
    const read = await Promise.all(
      Object.entries(READERS).map(async ([name, reads]) => {
        const [was, is] = await Promise.all([reads(before), reads(after)]);
        // One that is too old for what there was cannot say anything of it.
        return { name, was: was.ok, is: is.ok, said: was.ok ? is.out : '' };
      }),
    );
    expect(read.filter(({ was }) => was).length, JSON.stringify(read)).toBeGreaterThanOrEqual(2);
    expect(read.filter(({ was, is }) => was && !is)).toEqual([]);
    const [was, is] = await Promise.all([meaningOf(before), meaningOf(after)]);
    expect(is.others).toEqual(was.others);
    const isChanged = JSON.stringify(is.own) !== JSON.stringify(was.own);
    expect([isChanged, isLater(was.serial, is.serial)]).toEqual([isChanged, isChanged]);
    for (const name of HIS) {
      const said = is.own.filter((record) => record.startsWith(`${name} `));
      const isAlias = said.some((record) => record.endsWith(` CNAME ${HOST}.`));
      const addresses = said.flatMap((record) => / (?:A|AAAA) (\S+)$/.exec(record)?.[1] ?? []);
      expect([name, isAlias ? ADDRESSES : addresses.sort()]).toEqual([name, ADDRESSES]);
      expect(said.join('\n')).not.toMatch(/192\.0\.2\.1\b|2001:db8::1\b|198\.51/);
    }
  });
});
