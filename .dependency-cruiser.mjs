const CORE = '^src/core/';
const config = {
  forbidden: [
    {
      name: 'core-is-pure',
      severity: 'error',
      from: { path: CORE, pathNot: '\\.test\\.ts$' },
      to: { path: '^(src/(contract|engine|runner|node|store|ui|app|workers)/|node_modules/(react|next|dexie|zod))' },
    },
    { name: 'core-no-node', severity: 'error', from: { path: CORE, pathNot: '\\.test\\.ts$' }, to: { dependencyTypes: ['core'] } },
    {
      name: 'contract-knows-core-only',
      severity: 'error',
      from: { path: '^src/contract/' },
      to: { path: '^src/(engine|runner|node|store|ui|app)/' },
    },
    { name: 'node-room', severity: 'error', from: { path: '^src/node/' }, to: { path: '^src/(engine|runner|store|ui|app)/' } },
    {
      name: 'engine-and-runner-stay-below',
      severity: 'error',
      from: { path: '^src/(engine|runner)/' },
      to: { path: '^src/(store|ui|app)/' },
    },
    { name: 'engine-and-runner-are-apart', severity: 'error', from: { path: '^src/engine/' }, to: { path: '^src/runner/' } },
    { name: 'runner-and-engine-are-apart', severity: 'error', from: { path: '^src/runner/' }, to: { path: '^src/engine/' } },
    {
      name: 'the-proof-knows-no-maker',
      severity: 'error',
      from: { path: '^src/core/proof/' },
      to: { path: '^src/core/(master|recipes)/' },
    },
    {
      name: 'workers-stay-below',
      severity: 'error',
      from: { path: '^src/workers/' },
      to: { path: '^src/(engine|runner|node|store|ui|app)/' },
    },
    { name: 'store-below-ui', severity: 'error', from: { path: '^src/store/' }, to: { path: '^src/(ui|app|engine|runner|node)/' } },
    { name: 'ui-below-app', severity: 'error', from: { path: '^src/ui/' }, to: { path: '^src/(app|engine|runner|node)/' } },
    { name: 'app-talks-by-contract', severity: 'error', from: { path: '^src/app/' }, to: { path: '^src/(engine|runner|node)/' } },
    {
      name: 'only-the-store-knows-dexie',
      severity: 'error',
      from: { path: '^src/', pathNot: '^src/store/' },
      to: { path: 'node_modules/dexie' },
    },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    exclude: { path: '\\.test\\.tsx?$|test-support' },
  },
};

export default config;
