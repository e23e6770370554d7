// One entry for every npm script: does its own set-up (dependencies, build), then runs the task.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const top = dirname(dirname(fileURLToPath(import.meta.url)));
process.chdir(top);
const [task, ...rest] = process.argv.slice(2);

// Ctrl-C is for the task, which ends in its own good order.
process.on('SIGINT', () => undefined);

function run(command, args, options = {}) {
  const { status, signal, error } = spawnSync(command, args, { stdio: 'inherit', ...options });
  if (error) throw error;
  if (status !== 0) process.exit(status ?? (signal ? 1 : 1));
}

const bin = (name) => join('node_modules', '.bin', name);

function install() {
  const marker = join('node_modules', '.package-lock.json');
  const current = existsSync(marker) && statSync(marker).mtimeMs >= statSync('package-lock.json').mtimeMs;
  if (current) return;
  // Every dependency with a native part ships it inside its package, so no install script has to run.
  const out = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--ignore-scripts', '--loglevel=error'], {
    encoding: 'utf8',
  });
  if (out.status !== 0) {
    process.stderr.write(`${out.stdout}${out.stderr}`);
    process.exit(out.status ?? 1);
  }
}

function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true, recursive: true })) {
    if (entry.isFile())
      latest = Math.max(latest, statSync(join(entry.parentPath ?? entry.path, entry.name)).mtimeMs);
  }
  return latest;
}

function build() {
  const built = join('dist', 'fenestra.js');
  const fresh =
    existsSync(built) &&
    statSync(built).mtimeMs > Math.max(newest('src'), newest('scripts'), statSync('package.json').mtimeMs);
  if (!fresh) run(process.execPath, ['scripts/build.mjs']);
}

function finish(isGood) {
  if (!isGood) process.exitCode = 1;
}

const steps = {
  build: () => build(),
  // What goes into the package: the types of the library beside the program.
  pack: () => {
    build();
    run(bin('tsc'), ['--project', 'tsconfig.types.json']);
  },
  attack: () => {
    build();
    run(process.execPath, ['scripts/attack.mjs', ...rest]);
  },
  smoke: () => {
    build();
    run(process.execPath, ['scripts/smoke.mjs']);
  },
  demo: () => {
    build();
    run(process.execPath, ['scripts/demo.mjs', ...rest]);
  },
  store: () => {
    build();
    run(process.execPath, ['scripts/store-swift.mjs', ...rest]);
  },
  lint: async () => finish(await (await import('./test.mjs')).lint()),
  test: async () => {
    build();
    finish(await (await import('./test.mjs')).test(rest));
  },
  'test:quick': async () => {
    build();
    finish(await (await import('./test.mjs')).testQuick());
  },
  'test:setup': () => run(process.execPath, ['scripts/test-setup.mjs']),
  bench: () => {
    build();
    run(process.execPath, ['scripts/bench.mjs', ...rest]);
  },
  'bench:sites': () => {
    build();
    run(process.execPath, ['scripts/versioned-sites.mjs', ...rest]);
  },
  'bench:walks': () => {
    build();
    run(process.execPath, ['scripts/visit-walks.mjs', ...rest]);
  },
  docs: () => {
    build();
    run(process.execPath, ['dist/reference.js', ...rest]);
  },
  screenshots: () => {
    build();
    run(process.execPath, ['scripts/screenshots.mjs', ...rest]);
  },
};

const step = steps[task];
if (!step) {
  console.error(`scripts/run.mjs: no task "${task}"; there are ${Object.keys(steps).join(', ')}`);
  process.exit(2);
}
install();
await step();
