import { nameRule } from '../naming-context.js';

export const aliasAtApex = nameRule(
  {
    name: 'alias-at-apex',
    level: 'error',
    explain:
      'The apex of a zone has a CNAME, beside the SOA and NS that it must have: most servers refuse the whole zone, and every name in it answers SERVFAIL.',
    example: 'wendlemill.example CNAME wendle-mill-live.web.store.example',
    fix: 'Give the apex addresses or an HTTPS record in alias mode (RFC 1034 section 3.6.2).',
  },
  function* ({ facts, need }) {
    const server = facts.servers.find(
      ({ own }) => facts.name === facts.zone && own.some(({ type }) => type === 'CNAME'),
    );
    if (!server) return;
    yield {
      message: `${facts.name} is the apex of its zone and has a CNAME at ${server.server}; the next server that reads the zone refuses it whole`,
      fix: `replace it by the addresses of ${need.bucketHost}: \`fenestra domain records\` shows the ways`,
    };
  },
);
