/** Scripts of a second thread, which only the built program has. */
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

/** The built script, beside the module or one folder up; undefined when running unbundled. */
export const workerScript = (name: string): URL | undefined =>
  [`./${name}.js`, `../${name}.js`]
    .map((path) => new URL(path, import.meta.url))
    .find((url) => existsSync(fileURLToPath(url)));
