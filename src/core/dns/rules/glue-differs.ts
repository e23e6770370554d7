import { ownValue } from '../../words/own-value.js';
import { nameRule, placeOf } from '../naming-context.js';

export const glueDiffers = nameRule(
  {
    name: 'glue-differs',
    level: 'error',
    explain:
      "The address of a name server that the parent gives along (its glue) is not the server's own: look-ups go where nobody answers.",
    example: 'the parent has 192.0.2.9 for ns2.newhost.example, its own zone 192.0.2.2',
    fix: "Have the registrar of the server's name correct the glue.",
  },
  function* ({ facts }) {
    const said = new Set<string>();
    for (const parent of facts.parents)
      for (const { name, data, type } of parent.glue) {
        const own = ownValue(facts.serverAddresses, name);
        if (type !== 'A' || !own || own.length === 0 || own.includes(data)) continue;
        if (said.has(`${name} ${data}`)) continue;
        said.add(`${name} ${data}`);
        yield {
          message: `${placeOf(parent)} gives ${data} as the address of ${name}, which is ${own.join(', ')}`,
          fix: `have the registrar of ${name} correct its address there to ${own.join(', ')}`,
          about: `${name} ${data}`,
        };
      }
  },
);
