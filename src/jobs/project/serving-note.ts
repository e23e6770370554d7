/** A note in the store's folder of the port at which its buckets are served, so that printed addresses answer. */
import { readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { writeWhole } from '../../files/write-whole.js';

const fileIn = (storeFolder: string): string => join(storeFolder, 'serving.json');

interface Note {
  readonly port: number;
  readonly process: number;
}

/** @returns takes the note back, where nobody has written another since */
export function noteServing(storeFolder: string, port: number): () => void {
  const own: Note = { port, process: process.pid };
  try {
    writeWhole(fileIn(storeFolder), JSON.stringify(own));
  } catch {
    // A folder that nobody may write in is served all the same.
    return () => undefined;
  }
  return () => {
    const now = readNote(storeFolder);
    if (now?.port === port && now.process === own.process) rmSync(fileIn(storeFolder), { force: true });
  };
}

/** The port at which the buckets of a store are served now; undefined where nothing has said so, or it has ended. */
export function servingPort(storeFolder: string): number | undefined {
  const note = readNote(storeFolder);
  return note && isAlive(note.process) ? note.port : undefined;
}

function readNote(storeFolder: string): Note | undefined {
  try {
    const { port, process: owner } = JSON.parse(readFileSync(fileIn(storeFolder), 'utf8')) as Partial<Note>;
    const isPort = Number.isInteger(port) && (port as number) > 0 && (port as number) < 65_536;
    return isPort && Number.isInteger(owner) && (owner as number) > 0
      ? ({ port, process: owner } as Note)
      : undefined;
  } catch {
    return undefined;
  }
}

function isAlive(id: number): boolean {
  try {
    process.kill(id, 0);
    return true;
  } catch (error) {
    // It is somebody else's.
    return (error as NodeJS.ErrnoException).code === 'EPERM';
  }
}
