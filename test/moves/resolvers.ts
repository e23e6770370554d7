/** Real caching resolvers of five kinds, as visitors have them. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { askServer } from '../../src/dns/ask-server.js';
import { listenBind, start } from './authority.js';

const HINTS = (root: string): string => `. 3600 IN NS a.root.lab.\na.root.lab. 3600 IN A ${root}\n`;

interface Made {
  /** Text of its configuration. */
  readonly config: string;
  readonly command: readonly string[];
}

const unbound =
  (more: string) =>
  (folder: string, address: string, anchor: string): Made => ({
    config: `server:
  interface: ${address}
  username: ""
  chroot: ""
  directory: "${folder}"
  pidfile: "${folder}/pid"
  use-syslog: no
  root-hints: "${folder}/hints"
  module-config: "${anchor ? 'validator iterator' : 'iterator'}"
  ${anchor ? `trust-anchor: "${anchor}"` : ''}
  do-ip6: yes
  access-control: 0.0.0.0/0 allow
  num-threads: 1
  so-sndbuf: 0
  infra-host-ttl: 5
${more}`,
    command: ['unbound', '-d', '-c', `${folder}/config`],
  });

/** By name; those that follow the child's NS set are as those before a change of Debian's. */
const KINDS = {
  unbound: unbound(''),
  'unbound by the child': unbound('  iter-scrub-promiscuous: no\n'),
  bind: (folder: string, address: string, anchor: string): Made => ({
    config: `options { directory "${folder}"; ${listenBind([address])} recursion yes; allow-recursion { any; };
  pid-file "${folder}/pid"; session-keyfile "${folder}/session"; dnssec-validation ${anchor ? 'yes' : 'no'}; empty-zones-enable no; };
controls {};
${anchor ? `trust-anchors { ${anchor.replace(/ IN DS (\d+ \d+ \d+) (\S+)/, ' static-ds $1 "$2"')}; };` : ''}
zone "." { type hint; file "${folder}/hints"; };`,
    command: ['named', '-g', '-n', '1', '-c', `${folder}/config`],
  }),
  'knot resolver': (folder: string, address: string, anchor: string): Made => ({
    config: `net.listen('${address}', 53)
modules = { 'hints > iterate' }
hints.root_file('${folder}/hints')
cache.size = 10 * MB
trust_anchors.remove('.')
${anchor ? `trust_anchors.add('${anchor}')` : ''}
log_level('info')`,
    command: ['kresd', '-n', '-c', `${folder}/config`, folder],
  }),
  dnsmasq: (folder: string, address: string): Made => ({
    config: `port=53
listen-address=${address}
bind-interfaces
no-resolv
no-hosts
user=root
pid-file=${folder}/pid
server=${FORWARDED_TO}
cache-size=1000`,
    command: ['dnsmasq', '-k', '-C', `${folder}/config`],
  }),
} as const satisfies Record<string, (folder: string, address: string, anchor: string) => Made>;

export type ResolverKind = keyof typeof KINDS;
export const RESOLVER_KINDS = Object.keys(KINDS) as ResolverKind[];

/** The last three numbers of each one's address. */
const addressOf = (kind: ResolverKind): string => `10.53.9.${RESOLVER_KINDS.indexOf(kind) + 1}`;
const FORWARDED_TO = '10.53.9.1';

export interface Resolver {
  readonly kind: ResolverKind;
  readonly address: string;
}

const LONGEST_MS = 45_000;

/** @param anchor the DS that is trusted: `example. IN DS …`; empty where nothing is signed */
export async function startResolver(
  folder: string,
  kind: ResolverKind,
  root: string,
  anchor: string,
): Promise<Resolver> {
  mkdirSync(folder, { recursive: true });
  const address = addressOf(kind);
  const { config, command } = KINDS[kind](folder, address, anchor);
  writeFileSync(join(folder, 'config'), `${config}\n`);
  writeFileSync(join(folder, 'hints'), HINTS(root));
  start(folder, command);
  const began = Date.now();
  while (Date.now() - began < LONGEST_MS) {
    const asked = await askServer({ address, port: 53 }, { name: 'example', type: 'SOA', recursive: true });
    if ('message' in asked && asked.message.rcode === 'NOERROR') return { kind, address };
    await sleep(50);
  }
  throw new Error(`${kind} does not answer; see ${folder}/log`);
}
