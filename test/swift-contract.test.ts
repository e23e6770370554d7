import { beforeAll, it } from 'vitest';
import { storeContract } from '../src/stores/contract/contract.js';
import type { SwiftStore } from '../src/stores/swift/swift-store.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { describeWith } from './helpers/machine.js';

describeWith(['Swift'], 'a real object store of three nodes', () => {
  let cluster: Cluster;
  beforeAll(async () => {
    cluster = await joinCluster('contract');
  });

  const emptied = async (): Promise<SwiftStore> => {
    const store = cluster.openStore();
    for (const { name } of await store.buckets()) await store.remove(name);
    return store;
  };

  it('passes the contract', { timeout: 900_000 }, async () => {
    for (const { name, run } of await storeContract(emptied)) {
      try {
        await run();
      } catch (error) {
        throw new Error(`${name}: ${error instanceof Error ? error.message : String(error)}`, {
          cause: error,
        });
      }
    }
    await (await emptied()).close();
  });
});
