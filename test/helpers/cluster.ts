import { execFile } from 'node:child_process';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { promisify } from 'node:util';
import { SwiftStore } from '../../src/stores/swift/swift-store.js';

const SCRIPT = resolve('scripts/swift-node');
/** Each file of tests has an account of its own in the cluster of all. */
const ACCOUNTS = [
  'contract',
  'faults',
  'turn',
  'answers',
  'site',
  'kills',
  'apps',
  'mend',
  'moving',
] as const;
export type Account = (typeof ACCOUNTS)[number];

// Never awaited by standing still: a busy machine may need longer than the test runner waits for a word of this process.
const script = async (...words: string[]): Promise<string> =>
  (
    await promisify(execFile)(SCRIPT, words, {
      encoding: 'utf8',
      // A node that failed is asked again after two seconds, not after a minute.
      env: { ...process.env, SUPPRESS_SECONDS: '2', ACCOUNTS: ACCOUNTS.join(' ') },
    })
  ).stdout;

export interface Cluster {
  readonly auth: string;
  readonly user: string;
  readonly key: string;
  readonly port: number;
  /** The host of a bucket, with its port. */
  host(bucket: string): string;
  /** Kills or revives a storage node, 1 to 3, takes the room on its disk or gives it back, or brings all copies to the same once. */
  node(
    verb: 'kill-node' | 'revive-node' | 'fill-node' | 'empty-node' | 'heal',
    number?: number,
  ): Promise<void>;
  /** @param auth where to sign in, where something stands before it */
  openStore(auth?: URL, timeoutMs?: number, turns?: boolean): SwiftStore;
  /** A token and where the account is, for whoever changes things past Fenestra. */
  token(): Promise<{ readonly token: string; readonly account: string }>;
  /** What a user sets to sign in to a store called `cloud`. */
  readonly env: Readonly<Record<string, string>>;
  stop(): Promise<void>;
}

/** An account in the cluster that all files of a run share; whoever needs it first starts it, and the run ends it. */
export async function joinCluster(account: Account): Promise<Cluster> {
  const run = process.env['FENESTRA_TEST_RUN'];
  if (run === undefined) throw new Error('test/helpers/whole-run.ts has not set FENESTRA_TEST_RUN');
  for (let tries = 1; ; tries++) {
    const folder = join(run, `cluster-${tries}`);
    try {
      await script('start', folder);
      return { ...(await clusterIn(folder, account)), stop: () => Promise.resolve() };
    } catch (error) {
      // On a busy machine a node may listen too late for the first container. Others may have found it well meanwhile.
      if (tries === 3) throw error;
    }
  }
}

/** Ends the clusters of a run. */
export async function endClusters(run: string): Promise<void> {
  for (const name of readdirSync(run)) if (name.startsWith('cluster-')) await stopCluster(join(run, name));
}

/** Starts a real cluster of three nodes in a folder of its own; nothing of it is left after `stop`. */
export async function startCluster(): Promise<Cluster> {
  for (let tries = 1; ; tries++) {
    const folder = mkdtempSync(join(tmpdir(), 'fenestra-cluster-'));
    try {
      await script('start', folder);
      return await clusterIn(folder);
    } catch (error) {
      await stopCluster(folder);
      // On a busy machine a node may listen too late for the first container.
      if (tries === 3) throw error;
    }
  }
}

async function stopCluster(folder: string): Promise<void> {
  await script('stop', folder).catch(() => '');
  rmSync(folder, { recursive: true, force: true });
}

async function clusterIn(folder: string, account = 'test'): Promise<Cluster> {
  const lines = (await script('env', folder)).split('\n');
  const get = (name: string): string =>
    lines.find((line) => line.startsWith(`${name}=`))?.slice(name.length + 1) ?? '';
  const port = Number(get('SWIFT_PORT'));
  const [user, key] = [`${account}:tester`, get('SWIFT_KEY')];
  return {
    auth: get('SWIFT_AUTH_URL'),
    user,
    key,
    port,
    host: (bucket) => `${bucket}.AUTH-${account}.${get('SWIFT_DOMAIN')}:${port}`,
    node: async (verb, number) =>
      void (await script(verb, folder, ...(number === undefined ? [] : [String(number)]))),
    openStore: (auth = new URL(get('SWIFT_AUTH_URL')), timeoutMs = 20_000, turns = false) =>
      new SwiftStore({
        store: 'cloud',
        auth,
        credentials: { kind: 'password', user, key, userDomain: 'Default', projectDomain: 'Default' },
        region: undefined,
        interface: 'public',
        timeoutMs,
        turns,
      }),
    async token() {
      const { headers } = await fetch(get('SWIFT_AUTH_URL'), {
        headers: { 'x-auth-user': user, 'x-auth-key': key },
      });
      return {
        token: headers.get('x-auth-token') ?? '',
        account: headers.get('x-storage-url') ?? '',
      };
    },
    env: { FENESTRA_CLOUD_USER: user, FENESTRA_CLOUD_KEY: key },
    stop: () => stopCluster(folder),
  };
}
