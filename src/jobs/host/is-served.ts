/** Whether something answers where the emulation would. */
import { connect } from 'node:net';
import { addressUnder } from '../../core/site/site-in-subfolder.js';
import { findKind } from '../../stores/kinds.js';
import { placeOf } from '../project/place-of.js';
import { DEFAULT_PORT, emulatedAddress, type Project } from '../project/open-project.js';

const WAIT_MS = 300;

/** Undefined where the address is not the emulation's. */
export async function isServed({ address, destination, config }: Project): Promise<boolean | undefined> {
  if (address !== addressUnder(emulatedAddress(destination.bucket), destination.under)) return undefined;
  if (findKind(placeOf(config, destination.store)).isElsewhere) return undefined;
  return new Promise((done) => {
    const socket = connect({ port: DEFAULT_PORT, host: '127.0.0.1' });
    const end = (found: boolean): void => {
      socket.destroy();
      done(found);
    };
    socket.setTimeout(WAIT_MS, () => end(false));
    socket.once('connect', () => end(true));
    socket.once('error', () => end(false));
  });
}
