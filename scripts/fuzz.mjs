// npm run fuzz [mutations] [subject]: every parser of foreign bytes, fed with damaged structures.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

await ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage']);
await ensurePackages();
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'fixtures', 'proving'), 'proving']);
// A parser that hangs is ended from outside.
must(process.execPath, ['dist/fuzz.mjs', ...process.argv.slice(2)], { timeout: 600_000 });
