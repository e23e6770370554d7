// What may import what: the folders under src/ from the top floor down, and nothing in a circle, not even a type.
const FLOORS = {
  cli: [
    'library',
    'jobs',
    'report',
    'server',
    'stores',
    'disk',
    'endpoint',
    'dns',
    'browser',
    'config',
    'http',
    'files',
    'core',
  ],
  library: ['jobs', 'report', 'server', 'stores', 'disk', 'endpoint', 'config', 'core'],
  jobs: ['server', 'stores', 'disk', 'endpoint', 'dns', 'browser', 'config', 'files', 'core'],
  report: ['server', 'stores', 'disk', 'endpoint', 'config', 'files', 'core'],
  server: ['core'],
  stores: ['http', 'files', 'core'],
  disk: ['files', 'core'],
  endpoint: ['http', 'files', 'core'],
  dns: ['core'],
  browser: [],
  config: ['files', 'core'],
  http: [],
  files: [],
  core: [],
};

const walls = Object.entries(FLOORS).map(([folder, below]) => ({
  name: `wall-of-${folder}`,
  comment: `src/${folder} may import ${below.length > 0 ? below.join(', ') : 'nothing else'} under src/.`,
  severity: 'error',
  from: { path: `^src/${folder}/`, pathNot: '\\.test\\.ts$' },
  to: { path: '^src/', pathNot: `^src/(?:${[folder, ...below].join('|')})/` },
}));

export default {
  forbidden: [
    ...walls,
    {
      name: 'no-circle',
      comment: 'Nothing under src/ imports itself by a detour, not even for a type.',
      severity: 'error',
      from: { path: '^src/' },
      to: { circular: true },
    },
    {
      name: 'only-the-table-names-a-kind',
      comment: 'A kind of store is imported by the table of kinds alone.',
      severity: 'error',
      from: { path: '^src/', pathNot: ['^src/stores/kinds\\.ts$', '^src/stores/([^/]+)/', '\\.test\\.ts$'] },
      to: { path: '^src/stores/(?!contract/)[^/]+/' },
    },
    {
      name: 'arguments-in-cli-alone',
      severity: 'error',
      from: { path: '^src/(?!cli/)' },
      to: { path: 'node_modules/yargs' },
    },
    {
      name: 'pure-core',
      comment: 'The core is pure: no terminal, no network, no process, no files.',
      severity: 'error',
      from: { path: '^src/core/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'], pathNot: '^(?:node:)?(?:buffer|module)$' },
    },
    {
      name: 'only-a-database-is-loaded-late',
      comment:
        'The core loads nothing by itself but the public database of media types, once a type is looked up.',
      severity: 'error',
      from: { path: '^src/core/', pathNot: '^src/core/assign/media-type\\.ts$|\\.test\\.ts$' },
      to: { path: '^(?:node:)?module$' },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    doNotFollow: { path: 'node_modules' },
    enhancedResolveOptions: { extensions: ['.ts', '.js', '.mjs', '.json'] },
  },
};
