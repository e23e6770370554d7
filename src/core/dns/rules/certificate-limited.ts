import { nameRule } from '../naming-context.js';

export const certificateLimited = nameRule(
  {
    name: 'certificate-limited',
    level: 'note',
    explain:
      'CAA records say which authorities may issue certificates for the name; the front needs one of them (RFC 8659).',
    example: 'wendlemill.example CAA 0 issue "authority.example"',
    fix: 'Use that authority, or add the one that the front uses.',
  },
  function* ({ facts, wantsCertificate }) {
    if (!wantsCertificate) return;
    const caa = facts.servers.find((server) => server.caa.length > 0)?.caa ?? [];
    const allowed = caa.flatMap(({ data }) => /^\d+ issue "([^";]*)/.exec(data)?.[1]?.trim() ?? []);
    if (allowed.length === 0) return;
    const names = allowed.filter((name) => name !== '');
    yield {
      message: `only ${names.length > 0 ? names.join(', ') : 'nobody'} may issue certificates for ${facts.name}`,
      fix: 'the front in front of the bucket must have its certificate from there; else add a CAA record for its authority',
    };
  },
);
