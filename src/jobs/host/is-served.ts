/** Whether something answers where the emulation would. */
import { connect } from 'node:net';
import { addressUnder } from '../../core/site/site-in-subfolder.js';
import { findKind } from '../../stores/kinds.js';
import { placeOf } from '../project/place-of.js';
import { emulatedAddress, type Project } from '../project/open-project.js';

const WAIT_MS = 300;

/** Undefined where the address is not the emulation's. */
export async function isServed({ address, destination, config }: Project): Promise<boolean | undefined> {
  const emulated = emulatedAddress(destination.bucket, config);
  if (address !== addressUnder(emulated, destination.under)) return undefined;
  if (findKind(placeOf(config, destination.store)).isElsewhere) return undefined;
  return new Promise((done) => {
    const socket = connect({ port: Number(new URL(emulated).port), host: '127.0.0.1' });
    const end = (found: boolean): void => {
      socket.destroy();
      done(found);
    };
    socket.setTimeout(WAIT_MS, () => end(false));
    socket.once('connect', () => end(true));
    socket.once('error', () => end(false));
  });
}
