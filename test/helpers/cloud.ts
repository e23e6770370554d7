/** The program on a cluster: with what it signs in with in its environment, and a config that publishes there. */
import { expect } from 'vitest';
import type { Cluster } from './cluster.js';
import { fenestra, type Outcome } from './program.js';

export interface Cloud {
  run(home: string, ...words: string[]): Promise<Outcome>;
  /** Expects exit code 0. @returns its one JSON document */
  json<T>(home: string, ...words: string[]): Promise<T>;
  /** @param more of the config, @param store more of the store */
  config(bucket: string, more?: string, store?: string): string;
}

export function cloudOf(cluster: Cluster): Cloud {
  async function run(home: string, ...words: string[]): Promise<Outcome> {
    const before = { ...process.env };
    Object.assign(process.env, cluster.env);
    try {
      return await fenestra(home, ...words);
    } finally {
      for (const name of Object.keys(cluster.env)) {
        if (before[name] === undefined) Reflect.deleteProperty(process.env, name);
        else process.env[name] = before[name];
      }
    }
  }
  return {
    run,
    async json<T>(home: string, ...words: string[]) {
      const { code, out, err } = await run(home, ...words, '--json');
      expect({ code, err }).toEqual({ code: 0, err: '' });
      return JSON.parse(out) as T;
    },
    config: (bucket, more = '', store = '') => `site: site
stores: { cloud: { kind: swift, auth: "${cluster.auth}"${store} } }
destinations: { live: { store: cloud, bucket: ${bucket}, address: "http://${cluster.host(bucket)}/" } }
documents: { index: index.html, error: not-found.html }
${more}`,
  };
}
