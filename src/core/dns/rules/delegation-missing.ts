import { isUndelegated, nameRule } from '../naming-context.js';

export const delegationMissing = nameRule(
  {
    name: 'delegation-missing',
    level: 'error',
    explain: 'Servers above a zone name no server for it, so nobody can look anything up in it.',
    example: 'wendlemill.example, registered and without name servers',
    fix: "Give the registrar the provider's name servers.",
  },
  function* (context) {
    if (!isUndelegated(context)) return;
    const { facts, nameServers } = context;
    const above = facts.servers.length === 0 ? facts.parentZone : facts.zone;
    yield {
      message: `no name server is named for ${facts.name} by those of its parent${above === '' ? '' : ` ${above}`}`,
      fix: `have the registrar enter ${nameServers.length > 0 ? nameServers.join(', ') : "the provider's name servers"}; whether the name is registered at all, the registrar says too`,
    };
  },
);
