// Before the unit tests: the programs that tests start, and the short discs they read. Neither is made again where nothing has changed.
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { buildPrograms } from '../../scripts/build.mjs';
import { root } from '../../scripts/ensure.mjs';

export default async function setup() {
  await buildPrograms();
  const folder = path.join(root, '.cache', 'fixtures', 'proving');
  const made = spawnSync(process.execPath, [path.join(root, 'dist', 'demo.mjs'), folder, 'proving'], { encoding: 'utf8' });
  if (made.status !== 0) throw new Error(`the discs for tests could not be made:\n${made.stderr}`);
}
