// Before the unit tests: the programs that tests start, and the short discs they read. Both are cached.
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { bundle } from '../../scripts/bundle.mjs';
import { root } from '../../scripts/ensure.mjs';

export default async function setup() {
  await bundle();
  const made = spawnSync(process.execPath, [path.join(root, 'dist', 'demo.mjs'), path.join(root, '.cache', 'proving'), 'proving'], {
    encoding: 'utf8',
  });
  if (made.status !== 0) throw new Error(`the proving discs could not be made:\n${made.stderr}`);
}
