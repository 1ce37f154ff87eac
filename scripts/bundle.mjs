// Bundles what runs outside Next: engine, runner, command, demo author, benchmarks. Ten milliseconds each.
import path from 'node:path';
import { root } from './ensure.mjs';

const ENTRIES = {
  engine: 'src/engine/main.ts',
  runner: 'src/runner/main.ts',
  helper: 'src/runner/helper.ts',
  sums: 'src/runner/sums.ts',
  vault: 'src/runner/command.ts',
  demo: 'demo/main.ts',
  bench: 'demo/bench.ts',
  fuzz: 'demo/fuzz.ts',
  doubt: 'demo/doubt/main.ts',
  soak: 'demo/soak/main.ts',
  strangers: 'demo/strangers/main.ts',
};

export async function bundle() {
  const { build } = await import('esbuild');
  await build({
    entryPoints: Object.fromEntries(Object.entries(ENTRIES).map(([name, file]) => [name, path.join(root, file)])),
    outdir: path.join(root, 'dist'),
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    packages: 'external',
    tsconfig: path.join(root, 'tsconfig.json'),
    logLevel: 'warning',
  });
}
