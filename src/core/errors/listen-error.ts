/** Why a port could not be listened on, as one of Fenestra's own errors. */
import { FenestraError, systemCode } from './catalogue.js';
import { reasonInWords } from './system-error.js';

/** @param port 0 to 65,535 @returns PORT_IN_USE or LISTEN_FAILED */
export const listenError = (error: unknown, host: string, port: number): FenestraError =>
  systemCode(error) === 'EADDRINUSE'
    ? new FenestraError('PORT_IN_USE', { host, port }, error)
    : new FenestraError('LISTEN_FAILED', { host, port, reason: reasonInWords(error) }, error);
