// Other versions of Node.js that are in use, brought by npm: what is promised of them is tried with them.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

export const OTHER_NODES = ['22.23.3', '24.21.0'];

/** @param folder that it is put into @returns its program; throws where npm cannot bring it */
export function bringNode(version, folder) {
  const name = `node-${process.platform}-${process.arch}`;
  const home = join(folder, `node-${version}`);
  const words = ['install', '--no-audit', '--no-fund', '--ignore-scripts', '--prefix', home];
  const { status, stderr } = spawnSync('npm', [...words, `${name}@${version}`], { encoding: 'utf8' });
  if (status !== 0) throw new Error(`npm could not bring Node.js ${version}: ${stderr}`);
  return join(home, 'node_modules', name, 'bin', 'node');
}
