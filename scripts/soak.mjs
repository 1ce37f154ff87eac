// npm run soak -- faults [random kills] [seed]: jobs killed, starved, unplugged and cut off; afterwards nothing may be lost or only look finished.
// npm run soak -- night [jobs] [seed]: a night of the whole queue, with as many kills and a third as many other faults.
// npm run soak -- recipes [copies] [seed]: recipes at random on every kind of source; whatever can be chosen passes its proof.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

await ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage', 'setpriv']);
await ensurePackages();
if (process.argv[2] === 'night') {
  // Its jobs are sent through the web server.
  const { buildAll } = await import('./build.mjs');
  await buildAll();
}
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'fixtures', 'proving'), 'proving']);
must(process.execPath, ['dist/soak.mjs', ...process.argv.slice(2)], { timeout: 7_200_000 });
