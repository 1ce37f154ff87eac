// npm run --silent vault -- read|make|prove …: the same core from the command line.
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ensurePackages, ensurePrograms, root } from './ensure.mjs';

const from = process.env.INIT_CWD ?? process.cwd();
await ensurePrograms(['ffmpeg', 'setpriv']);
await ensurePackages('running');
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
const { status } = spawnSync(process.execPath, [path.join(root, 'dist', 'vault.mjs'), ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: from,
});
process.exitCode = status ?? 1;
