// npm run --silent vault -- read|make|prove …: the same core from the command line.
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ensurePackages, ensurePrograms, root } from './ensure.mjs';

const from = process.env.INIT_CWD ?? process.cwd();
ensurePrograms(['ffmpeg', 'setpriv']);
ensurePackages();
const { bundle } = await import('./bundle.mjs');
await bundle();
const { status } = spawnSync(process.execPath, [path.join(root, 'dist', 'vault.mjs'), ...process.argv.slice(2)], {
  stdio: 'inherit',
  cwd: from,
});
process.exitCode = status ?? 1;
