/** What a container itself is set to: who may read it, and which documents answer. */
import type { Access } from '../../core/hosting/bucket-view.js';
import type { SwiftClient } from './client.js';
import { containerPath } from './names.js';
import type { WebNames } from './web-names.js';

/** Everyone may read what is in it, and ask for its root; with an index document set, nobody can list it by that. */
const OPEN = '.r:*,.rlistings';

/** Undefined where there is no such container. */
export async function readAccess(client: SwiftClient, container: string): Promise<Access | undefined> {
  const { status, headers } = await client.done({
    method: 'HEAD',
    path: containerPath(container),
    headers: { 'x-newest': 'true' },
    expect: [404],
  });
  if (status === 404) return undefined;
  return /(?:^|,)\s*\.r:\*/.test(headers['x-container-read'] ?? '') ? 'open' : 'closed';
}

/** @returns whether it was there already */
export async function makeContainer(
  client: SwiftClient,
  container: string,
  headers: Readonly<Record<string, string>> = {},
): Promise<boolean> {
  const { status } = await client.done({ method: 'PUT', path: containerPath(container), headers });
  return status === 202;
}

const post = async (
  client: SwiftClient,
  container: string,
  headers: Readonly<Record<string, string>>,
): Promise<void> => {
  await client.done({ method: 'POST', path: containerPath(container), headers });
  await client.refresh(containerPath(container));
};

/**
 * An open container without an index document is listed to everybody, so the index is set before and together with the
 * opening.
 */
export async function setAccess(
  client: SwiftClient,
  container: string,
  access: Access,
  { index: name }: Pick<WebNames, 'index'>,
): Promise<void> {
  const index = { 'x-container-meta-web-index': name };
  if (access === 'open') await post(client, container, index);
  await post(client, container, { ...index, 'x-container-read': access === 'open' ? OPEN : '' });
}

export const setWebNames = (
  client: SwiftClient,
  container: string,
  { index, error }: WebNames,
): Promise<void> =>
  post(client, container, {
    'x-container-meta-web-index': index,
    'x-container-meta-web-error': error ?? '',
  });
