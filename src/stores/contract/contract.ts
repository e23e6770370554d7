/**
 * What every store has to do, as cases for any test runner. They are written against the port alone and find stores
 * that cheat: that announce a release which is not whole, lose a header, forget a body, or list out of order.
 */
import type { Store } from '../port.js';
import { BUCKETS } from './bucket-cases.js';
import { HISTORY, HONEST, INSTANT, STAGING } from './guarantee-cases.js';
import type { Cases, ContractCase, ContractOptions } from './kit.js';
import { OBJECTS } from './object-cases.js';
import { RELEASES } from './release-cases.js';

export type { ContractCase, ContractOptions } from './kit.js';

/**
 * The cases that a store has to pass, by what it guarantees.
 * @param make makes a new, empty store each time; the cases close it
 */
export async function storeContract(
  make: () => Store | Promise<Store>,
  { seed = 1 }: ContractOptions = {},
): Promise<ContractCase[]> {
  const asked = await make();
  const { instant, history, staging } = asked.guarantees;
  await asked.close();
  const works: Cases = {
    ...BUCKETS,
    ...OBJECTS,
    ...RELEASES,
    ...HONEST,
    ...(instant ? INSTANT : {}),
    ...(history ? HISTORY : {}),
    ...(staging ? STAGING : {}),
  };
  return Object.entries(works).map(([name, work]) => ({
    name,
    async run() {
      const store = await make();
      try {
        await work(store, seed);
      } finally {
        await store.close();
      }
    },
  }));
}
