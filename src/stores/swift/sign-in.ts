/** Signing in: what gives a token, and where the account is. Version 1, and Keystone's version 3. */
import { request, type Dispatcher } from 'undici';
import { FenestraError } from '../../core/errors/catalogue.js';
import { networkReason } from '../../core/errors/network-error.js';
import type { Credentials } from './credentials.js';

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
  readonly dispatcher: Dispatcher;
}

/** Answers above this are no answer to a sign-in. Bytes. */
const MOST_ANSWER = 2 ** 20;

/** @throws FenestraError SIGN_IN_REFUSED, STORE_UNREACHABLE */
export async function signIn(input: SignIn): Promise<Session> {
  const isThird = /\/v3\/?$/.test(input.auth.pathname);
  try {
    return await (isThird ? signInThird(input) : signInFirst(input));
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

const one = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value[0] : value;

async function signInFirst(input: SignIn): Promise<Session> {
  const { auth, credentials, dispatcher } = input;
  if (credentials.kind !== 'password')
    throw refused(input, 'an application credential is for version 3 (an address that ends in /v3)');
  const { statusCode, headers, body } = await request(auth, {
    dispatcher,
    headers: { 'x-auth-user': credentials.user, 'x-auth-key': credentials.key },
  });
  await body.dump();
  const [account, token] = [one(headers['x-storage-url']), one(headers['x-auth-token'])];
  if (statusCode !== 200 || account === undefined || token === undefined)
    throw refused(input, statusCode === 401 ? 'wrong user or key' : `it answered ${statusCode}`);
  return sessionAt(account, token);
}

/** Identity API v3, sections on password and application-credential authentication. */
async function signInThird(input: SignIn): Promise<Session> {
  const { auth, dispatcher } = input;
  const { statusCode, headers, body } = await request(
    new URL('auth/tokens', `${auth.href.replace(/\/?$/, '/')}`),
    {
      dispatcher,
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ auth: identityOf(input.credentials) }),
    },
  );
  const text = await limited(body);
  const token = one(headers['x-subject-token']);
  if (statusCode !== 201 || token === undefined)
    throw refused(input, statusCode === 401 ? 'wrong user, key or project' : `it answered ${statusCode}`);
  return sessionAt(accountOf(input, text), token);
}

async function limited(body: Dispatcher.ResponseData['body']): Promise<string> {
  let text = '';
  for await (const piece of body) {
    text += String(piece);
    if (text.length > MOST_ANSWER) break;
  }
  return text;
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

/** The account in the catalogue of services. @throws FenestraError SIGN_IN_REFUSED */
function accountOf(input: SignIn, text: string): string {
  let catalogue: Catalogue;
  try {
    catalogue = JSON.parse(text) as Catalogue;
  } catch {
    throw refused(input, 'its answer is not JSON');
  }
  const all = (catalogue.token?.catalog ?? [])
    .filter(({ type }) => type === 'object-store')
    .flatMap(({ endpoints }) => endpoints ?? [])
    .filter((each) => each.interface === input.interface);
  const regions = [...new Set(all.map(({ region_id, region }) => region_id ?? region ?? ''))];
  const [found, ...others] =
    input.region === undefined
      ? all
      : all.filter(({ region_id, region }) => (region_id ?? region) === input.region);
  if (!found?.url)
    throw refused(
      input,
      `its catalogue has no object store with the interface ${input.interface}${input.region === undefined ? '' : ` in the region ${input.region}`}${regions.length > 0 ? `; there is one in ${regions.join(', ')}` : ''}`,
    );
  if (others.length > 0 && input.region === undefined)
    throw refused(input, `it has several regions (${regions.join(', ')}): name one with region:`);
  return found.url.replace(/\/$/, '');
}
