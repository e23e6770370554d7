/** Signing in: what gives a token, and where the account is. Version 1, and Keystone's version 3. */
import type { Dispatcher } from 'undici';
import { FenestraError } from '../../core/errors/catalogue.js';
import { networkReason } from '../../core/errors/network-error.js';
import type { Credentials } from './credentials.js';
import { exchange, TooLong, type Answered } from './exchange.js';

export interface Session {
  /** Where the account is, without a closing slash. */
  readonly account: string;
  readonly token: string;
  /** Of the account's address: scheme, host and port; and its path. */
  readonly origin: string;
  readonly base: string;
}

/** @param account with or without its closing slash */
function sessionAt(account: string, token: string): Session {
  const { origin, pathname } = new URL(account);
  const base = pathname.replace(/\/$/, '');
  return { account: origin + base, token, origin, base };
}

export interface SignIn {
  readonly store: string;
  /** Where to sign in. */
  readonly auth: URL;
  readonly credentials: Credentials;
  readonly region: string | undefined;
  readonly interface: string;
  /** Further proxies of the same store, which are sent the token too: scheme, host and port. */
  readonly proxies?: readonly string[] | undefined;
  readonly dispatcher: Dispatcher;
  /** Whether a token may go to a loopback address in clear, although signing in is by https. */
  readonly plainLoopback?: boolean | undefined;
  /** Milliseconds until an answer is whole. */
  readonly wholeMs: number;
}

/** Answers above this are no answer to a sign-in. Bytes. */
const MAX_ANSWER = 2 ** 20;

/** Who has signed in over https sends the token to nobody in clear. @throws FenestraError TOKEN_IN_CLEAR */
function assertSecret({ store, auth, plainLoopback = false }: SignIn, origin: string): void {
  const { protocol, hostname } = new URL(origin);
  if (auth.protocol !== 'https:' || protocol === 'https:') return;
  const isLoopback =
    hostname === 'localhost' || hostname === '[::1]' || /^127\.\d+\.\d+\.\d+$/.test(hostname);
  if (isLoopback && plainLoopback) return;
  throw new FenestraError('TOKEN_IN_CLEAR', { store, at: auth.host, origin });
}

/** @throws FenestraError SIGN_IN_REFUSED, STORE_UNREACHABLE, TOKEN_IN_CLEAR */
export async function signIn(input: SignIn): Promise<Session> {
  const isThird = /\/v3\/?$/.test(input.auth.pathname);
  try {
    const session = await (isThird ? signInThird(input) : signInFirst(input));
    assertSecret(input, session.origin);
    for (const proxy of input.proxies ?? []) assertSecret(input, proxy);
    return session;
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw new FenestraError(
      'STORE_UNREACHABLE',
      { store: input.store, at: input.auth.host, reason: networkReason(error) ?? String(error) },
      error,
    );
  }
}

const refused = ({ store, auth }: SignIn, reason: string): FenestraError =>
  new FenestraError('SIGN_IN_REFUSED', { store, at: auth.host, reason });

async function signInFirst(input: SignIn): Promise<Session> {
  const { auth, credentials } = input;
  if (credentials.kind !== 'password')
    throw refused(input, 'an application credential is for version 3 (an address that ends in /v3)');
  const { status, headers } = await ask(input, {
    url: auth,
    method: 'GET',
    headers: { 'x-auth-user': credentials.user, 'x-auth-key': credentials.key },
  });
  const { 'x-storage-url': account, 'x-auth-token': token } = headers;
  if (status < 200 || status > 299 || account === undefined || token === undefined)
    throw refused(input, status === 401 ? 'wrong user or key' : `it answered ${status}`);
  return sessionAt(readAccount(input, account), token);
}

/** Identity API v3, sections on password and application-credential authentication. */
async function signInThird(input: SignIn): Promise<Session> {
  const { auth } = input;
  const { status, headers, bytes } = await ask(input, {
    url: new URL('auth/tokens', `${auth.href.replace(/\/?$/, '/')}`),
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ auth: identityOf(input.credentials) }),
  });
  const token = headers['x-subject-token'];
  if (status !== 201 || token === undefined)
    throw refused(input, status === 401 ? 'wrong user, key or project' : `it answered ${status}`);
  return sessionAt(readAccount(input, accountOf(input, bytes.toString())), token);
}

/** @throws FenestraError SIGN_IN_REFUSED where it never ends */
async function ask(
  input: SignIn,
  asked: {
    readonly url: URL;
    readonly method: 'GET' | 'POST';
    readonly headers: Readonly<Record<string, string>>;
    readonly body?: string;
  },
): Promise<Answered> {
  const { url, ...options } = asked;
  try {
    return await exchange(
      input.dispatcher,
      { origin: url.origin, path: url.pathname + url.search, ...options, body: options.body ?? null },
      { bytes: MAX_ANSWER, ms: input.wholeMs },
    );
  } catch (error) {
    if (error instanceof TooLong) throw refused(input, 'its answer has no end');
    throw error;
  }
}

/** The account's address, as the store says it. @throws FenestraError SIGN_IN_REFUSED */
function readAccount(input: SignIn, account: string): string {
  if (URL.canParse(account) && /^https?:$/.test(new URL(account).protocol)) return account;
  throw refused(input, 'the address that it gives for the account is none');
}

function identityOf(credentials: Credentials): object {
  if (credentials.kind === 'application') {
    const { id, secret } = credentials;
    // It has its project already; naming one is refused.
    return { identity: { methods: ['application_credential'], application_credential: { id, secret } } };
  }
  const { user: name, key: password, project, userDomain, projectDomain } = credentials;
  return {
    identity: { methods: ['password'], password: { user: { name, password, domain: { name: userDomain } } } },
    ...(project === undefined
      ? {}
      : { scope: { project: { name: project, domain: { name: projectDomain } } } }),
  };
}

interface Catalogue {
  readonly token?: {
    readonly catalog?: readonly {
      readonly type?: string;
      readonly endpoints?: readonly {
        readonly region?: string;
        readonly region_id?: string;
        readonly interface?: string;
        readonly url?: string;
      }[];
    }[];
  };
}

/** What is to be a list, and may be anything. */
const listOf = <T>(value: readonly T[] | undefined): readonly (T | null | undefined)[] =>
  Array.isArray(value) ? value : [];

/** The account in the catalogue of services. @throws FenestraError SIGN_IN_REFUSED */
function accountOf(input: SignIn, text: string): string {
  let catalogue: Catalogue | null;
  try {
    catalogue = JSON.parse(text) as Catalogue | null;
  } catch {
    throw refused(input, 'its answer is not JSON');
  }
  const all = listOf(catalogue?.token?.catalog)
    .filter((service) => service?.type === 'object-store')
    .flatMap((service) => listOf(service?.endpoints))
    .flatMap((each) => (each?.interface === input.interface ? [each] : []));
  const regions = [...new Set(all.map(({ region_id, region }) => region_id ?? region ?? ''))];
  const [found, ...others] =
    input.region === undefined
      ? all
      : all.filter(({ region_id, region }) => (region_id ?? region) === input.region);
  if (typeof found?.url !== 'string' || found.url === '')
    throw refused(
      input,
      `its catalogue has no object store with the interface ${input.interface}${input.region === undefined ? '' : ` in the region ${input.region}`}${regions.length > 0 ? `; there is one in ${regions.join(', ')}` : ''}`,
    );
  if (others.length > 0 && input.region === undefined)
    throw refused(input, `it has several regions (${regions.join(', ')}): name one with region:`);
  return found.url.replace(/\/$/, '');
}
