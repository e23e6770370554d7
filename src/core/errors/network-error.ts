/** Why nothing came back over a network, in plain words. */
import { systemCode } from './catalogue.js';

const REASONS: ReadonlyMap<string, string> = new Map([
  ['ECONNREFUSED', 'nothing listens there'],
  ['ENOTFOUND', 'the host name is not known'],
  ['EAI_AGAIN', 'the host name is not known'],
  ['EHOSTUNREACH', 'the host cannot be reached'],
  ['ENETUNREACH', 'the host cannot be reached'],
  ['ECONNRESET', 'the connection was cut'],
  ['EPIPE', 'the connection was cut'],
  ['UND_ERR_SOCKET', 'the connection was cut'],
  ['UND_ERR_HEADERS_TIMEOUT', 'no answer in time'],
  ['UND_ERR_BODY_TIMEOUT', 'no answer in time'],
  ['UND_ERR_CONNECT_TIMEOUT', 'no answer in time'],
  ['ETIMEDOUT', 'no answer in time'],
  ['UND_ERR_HEADERS_OVERFLOW', 'its headers are larger than 16 KiB'],
  ['UND_ERR_RES_CONTENT_LENGTH_MISMATCH', 'its body has another length than it says'],
  ['ERR_TLS_CERT_ALTNAME_INVALID', 'its certificate is for other names'],
  ['CERT_HAS_EXPIRED', 'its certificate has expired'],
  ['CERT_NOT_YET_VALID', 'its certificate is not valid yet'],
  ['DEPTH_ZERO_SELF_SIGNED_CERT', 'its certificate is signed by nobody but itself; --ca FILE trusts it'],
  [
    'SELF_SIGNED_CERT_IN_CHAIN',
    'nobody here knows who signed its certificate; --ca FILE says who is trusted',
  ],
  [
    'UNABLE_TO_GET_ISSUER_CERT_LOCALLY',
    'nobody here knows who signed its certificate; --ca FILE says who is trusted',
  ],
  [
    'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
    'nobody here knows who signed its certificate; --ca FILE says who is trusted',
  ],
  ['ERR_SSL_WRONG_VERSION_NUMBER', 'it does not speak HTTPS'],
  ['ERR_SSL_PACKET_LENGTH_TOO_LONG', 'it does not speak HTTPS'],
  ['EPROTO', 'it does not speak HTTPS as it should'],
]);

/** Undefined for what is no failure of the network. */
export function networkReason(error: unknown): string | undefined {
  const cause = error instanceof Error && error.cause !== undefined ? error.cause : error;
  if (cause instanceof Error && cause.name === 'HTTPParserError') return 'it does not speak HTTP';
  return REASONS.get(systemCode(cause) ?? '');
}
