/** States of zones and delegations as they are met, with what is to be said of each: just this, and nothing else. */
import { OTHER_SERIAL } from './authority.js';
import {
  addressOf,
  BUCKET_HOST,
  NEW_PLACE,
  OLD_PLACE,
  type Delegation,
  type ProviderId,
  type State,
  type Zone,
} from './tree.js';

export interface ZoneState {
  readonly state: State;
  /** Rules, sorted. */
  readonly rules: readonly string[];
  /** Lines of the destination in the config. */
  readonly config?: string;
}

const NS = ['ns1.newhost.example.', 'ns2.newhost.example.'];
const PARKED = ['ns1.parkhaus.example.', 'ns2.parkhaus.example.'];
const SIX = ['ns1.sixhost.example.', 'ns2.sixhost.example.'];
const VANITY = ['ns1.wendlemill.example.', 'ns2.wendlemill.example.'];
const ABOVE = [
  ...(['old1', 'old2'] as const).map((id, number) => `ns${number + 1}.parkhaus 60 IN A ${addressOf(id)}`),
  ...(['new1', 'new2'] as const).map((id, number) => `ns${number + 1}.newhost 60 IN A ${addressOf(id)}`),
  ...(['six1', 'six2'] as const).map((id, number) => `ns${number + 1}.sixhost 60 IN AAAA ${addressOf(id)}`),
];
const GOOD = [`www 60 IN CNAME ${BUCKET_HOST}.`];
const AWAY = [`www 60 IN A ${OLD_PLACE}`];

const zone = (lines: readonly string[], more: Partial<Zone> = {}): Zone => ({
  ns: NS,
  nsTtl: 60,
  negative: 5,
  lines,
  ...more,
});
const delegation = (more: Partial<Delegation> = {}): Delegation => ({ ns: NS, ttl: 60, ...more });
const state = (
  own: Zone | Partial<Record<ProviderId, Zone | 'another zone'>>,
  parent: Delegation | undefined = delegation(),
  above: readonly string[] = ABOVE,
): State => ({
  parents: [parent, parent],
  at: 'lines' in own ? { new1: own as Zone, new2: own as Zone } : own,
  above,
});
const well = (own: State): ZoneState => ({ state: own, rules: [] });
const ill = (own: State, ...rules: string[]): ZoneState => ({ state: own, rules: rules.sort() });

const vouched = (key: string, more: Partial<NonNullable<Delegation['ds']>> = {}): Delegation =>
  delegation({ ds: { key, ttl: 60, ...more } });
const signed = (key: string, more: Partial<Zone> = {}, lines = GOOD): Zone => zone(lines, { key, ...more });
const vanityZone = (ids: readonly ProviderId[], lines = GOOD): Zone =>
  zone([...ids.map((id, number) => `ns${number + 1} 60 IN A ${addressOf(id)}`), ...lines], { ns: VANITY });
const vanityGlue = (ids: readonly ProviderId[]): string[] => [
  ...ABOVE,
  ...ids.map((id, number) => `ns${number + 1}.wendlemill 60 IN A ${addressOf(id)}`),
];
/** A type and an algorithm stand before each signature of an address or an alias. */
const OWN_SIGNATURE =
  /\n(?:www[^\n]*|\s+)\s(?:60\s+)?(?:IN\s+)?RRSIG\s+(?:A|CNAME)\s[^(\n]*(?:\([^)]*\))?[^\n]*/;

export const STATES: Readonly<Record<string, ZoneState>> = {
  'an alias of the host': well(state(zone(GOOD))),
  'two aliases inside the zone': well(
    state(zone(['www 60 IN CNAME web', 'web 60 IN CNAME front', `front 60 IN A ${NEW_PLACE}`])),
  ),
  'two aliases that lead out of the zone': well(
    state(zone(['www 60 IN CNAME web', `web 60 IN CNAME ${BUCKET_HOST}.`])),
  ),
  'an alias of the apex': well(state(zone([`@ 60 IN A ${NEW_PLACE}`, 'www 60 IN CNAME @']))),
  'an apex with an HTTPS alias beside its address': well(
    state(zone([`@ 60 IN A ${NEW_PLACE}`, `@ 60 IN HTTPS 0 ${BUCKET_HOST}.`, ...GOOD])),
  ),
  'an address in place of an alias': well(state(zone([`www 60 IN A ${NEW_PLACE}`]))),
  'servers with addresses of the new kind alone': well(
    state({ six1: zone(GOOD, { ns: SIX }), six2: zone(GOOD, { ns: SIX }) }, delegation({ ns: SIX })),
  ),
  'servers with names in the zone': well(
    state(vanityZone(['new1', 'new2']), delegation({ ns: VANITY }), vanityGlue(['new1', 'new2'])),
  ),
  'signed with ECDSA P-256': well(state(signed('one'), vouched('one'))),
  'signed with ECDSA P-384': well(state(signed('p384 ECDSAP384SHA384'), vouched('p384 ECDSAP384SHA384'))),
  'signed with RSA and SHA-256': well(state(signed('rsa8 RSASHA256'), vouched('rsa8 RSASHA256'))),
  'signed with RSA and SHA-512': well(state(signed('rsa10 RSASHA512'), vouched('rsa10 RSASHA512'))),
  'signed with Ed25519': well(state(signed('ed ED25519'), vouched('ed ED25519'))),
  'signed with Ed448': well(state(signed('ed448 ED448'), vouched('ed448 ED448'))),
  'signed, and nobody vouches for it': well(state(signed('one'))),
  'signed, the name an alias of a name in the zone': well(
    state(signed('one', {}, ['www 60 IN CNAME web', `web 60 IN A ${NEW_PLACE}`]), vouched('one')),
  ),

  'a delegation that was removed': ill(state({}, { ns: [], ttl: 0 }), 'delegation-missing'),
  'a delegation to somebody else': {
    ...ill(
      state(
        { old1: zone(AWAY, { ns: PARKED }), old2: zone(AWAY, { ns: PARKED }) },
        delegation({ ns: PARKED }),
      ),
      'delegation-elsewhere',
      'record-elsewhere',
    ),
    config: '    nameServers: [ns1.newhost.example, ns2.newhost.example]\n',
  },
  'a server that is off': ill(state({ new1: zone(GOOD) }), 'server-silent'),
  'every server off': ill(state({}), 'server-silent'),
  'a server that knows nothing of the zone': ill(
    state({ new1: zone(GOOD), new2: 'another zone' }),
    'server-lame',
  ),
  'a server that takes no connections': ill(
    state({ new1: zone(GOOD), new2: zone(GOOD, { withoutTcp: true }) }),
    'transports-differ',
  ),
  'glue that leads to another server': ill(
    state(
      {
        new1: vanityZone(['new1', 'new2']),
        new2: vanityZone(['new1', 'new2']),
        old1: vanityZone(['new1', 'new2']),
      },
      delegation({ ns: VANITY }),
      vanityGlue(['new1', 'old1']),
    ),
    'glue-differs',
  ),
  'parents of two opinions': {
    state: {
      parents: [delegation(), delegation({ ns: PARKED })],
      at: {
        new1: zone(GOOD),
        new2: zone(GOOD),
        old1: zone(GOOD, { ns: PARKED }),
        old2: zone(GOOD, { ns: PARKED }),
      },
      above: ABOVE,
    },
    rules: ['parents-differ'],
  },
  'servers of two versions': ill(
    state({
      new1: zone(GOOD),
      new2: zone(GOOD, { spoil: (text) => text.replace(/ 202611\d+ /, ` ${OTHER_SERIAL} `) }),
    }),
    'serials-differ',
  ),
  'servers of two opinions': ill(
    state({ new1: zone(GOOD), new2: zone(AWAY) }),
    'record-elsewhere',
    'records-differ',
  ),
  'a record that leads elsewhere': ill(state(zone(AWAY)), 'record-elsewhere'),
  'an alias of something else': ill(
    state(zone(['www 60 IN CNAME edge.carrier.example.']), delegation(), [
      ...ABOVE,
      `edge.carrier 60 IN A ${OLD_PLACE}`,
    ]),
    'record-elsewhere',
  ),
  'one address right, one wrong': ill(
    state(zone([`www 60 IN A ${NEW_PLACE}`, `www 60 IN A ${OLD_PLACE}`])),
    'record-elsewhere',
  ),
  'an address of the new kind that was forgotten': ill(
    state(zone([`www 60 IN A ${NEW_PLACE}`, 'www 60 IN AAAA fd53::99'])),
    'record-elsewhere',
  ),
  'no such name': ill(state(zone([])), 'record-missing'),
  'a name with other records alone': ill(state(zone(['www 60 IN TXT "mill"'])), 'record-missing'),
  'aliases in a circle': ill(state(zone(['www 60 IN CNAME web', 'web 60 IN CNAME www'])), 'alias-loop'),
  'an alias of nothing': ill(state(zone(['www 60 IN CNAME gone'])), 'alias-nowhere'),
  'a wildcard': ill(state(zone([...GOOD, `* 60 IN A ${OLD_PLACE}`])), 'wildcard-answers'),
  'a server that the zone alone names': ill(
    state({
      new1: zone(GOOD, { ns: [...NS, PARKED[0] ?? ''] }),
      new2: zone(GOOD, { ns: [...NS, PARKED[0] ?? ''] }),
      old1: zone(GOOD, { ns: [...NS, PARKED[0] ?? ''] }),
    }),
    'servers-listed-differently',
  ),
  'a server without an address': ill(
    state(
      { new1: zone(GOOD, { ns: [NS[0] ?? '', 'ns9.newhost.example.'] }) },
      delegation({ ns: [NS[0] ?? '', 'ns9.newhost.example.'] }),
    ),
    'server-silent',
  ),
  'a DS that was left': ill(state(zone(GOOD), vouched('one')), 'signature-left'),
  'a DS of another key': ill(state(signed('one'), vouched('two')), 'signature-refused'),
  'a digest of another key': ill(
    state(
      signed('one'),
      vouched('one', { spoil: (line) => line.replace(/..$/, (end) => (end === '00' ? '11' : '00')) }),
    ),
    'signature-refused',
  ),
  'signatures that have ended': ill(
    state(signed('one', { valid: ['now-864000', 'now-86400'] }), vouched('one')),
    'signature-refused',
  ),
  'signatures that begin tomorrow': ill(
    state(signed('one', { valid: ['now+86400', 'now+864000'] }), vouched('one')),
    'signature-refused',
  ),
  'a record that was changed after it was signed': ill(
    state(
      signed(
        'one',
        {
          spoil: (text) =>
            text
              .replace(`IN A\t${OLD_PLACE}`, `IN A\t${NEW_PLACE}`)
              .replace(`A\t${OLD_PLACE}`, `A\t${NEW_PLACE}`),
        },
        AWAY,
      ),
      vouched('one'),
    ),
    'signature-refused',
  ),
  'a record without its signature': ill(
    state(signed('one', { spoil: (text) => text.replace(OWN_SIGNATURE, '') }), vouched('one')),
    'signature-refused',
  ),
  'one server whose signatures have ended': ill(
    state(
      { new1: signed('one'), new2: signed('one', { valid: ['now-864000', 'now-86400'] }) },
      vouched('one'),
    ),
    'signature-refused',
  ),
  'a DS of a retired algorithm': ill(
    state(signed('one'), vouched('one', { spoil: (line) => line.replace(/ DS (\d+) 13 /, ' DS $1 3 ') })),
    'signature-unknown',
  ),
  'a DS with a digest that nobody knows': ill(
    state(
      signed('one'),
      vouched('one', { spoil: (line) => line.replace(/ DS (\d+) 13 2 /, ' DS $1 13 200 ') }),
    ),
    'signature-unknown',
  ),
};
