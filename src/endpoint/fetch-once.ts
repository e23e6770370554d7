/** One request as the web's `fetch` would make it, with our own idea of where names under `localhost` are. */
import { fetch } from 'undici';
import { createAgent } from './connect.js';

const TIMEOUT_MS = 10_000;

/** Follows no redirect. */
export async function fetchOnce(
  url: URL,
  init: { readonly method?: string; readonly headers?: Readonly<Record<string, string>> },
): Promise<Response> {
  const agent = createAgent({ connections: 1, timeoutMs: TIMEOUT_MS });
  try {
    const response = await fetch(url, { ...init, redirect: 'manual', dispatcher: agent });
    const { status, statusText } = response;
    const bytes = await response.arrayBuffer();
    const headers = [...response.headers] as [string, string][];
    const bare = status === 101 || status === 204 || status === 205 || status === 304;
    return new Response(bare ? null : bytes, { status, statusText, headers });
  } finally {
    await agent.destroy();
  }
}
