// npm run fuzz [mutations] [subject]: every parser of foreign bytes, fed with damaged structures.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage']);
ensurePackages();
const { bundle } = await import('./bundle.mjs');
await bundle();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'proving'), 'proving']);
// A parser that hangs is ended from outside.
must(process.execPath, ['dist/fuzz.mjs', ...process.argv.slice(2)], { timeout: 600_000 });
