// npm run doubt [mutations] [first seed]: discs and masters spoilt in known ways; whatever passes without a word is a hole in the proof.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage']);
ensurePackages();
const { bundle } = await import('./bundle.mjs');
await bundle();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'proving'), 'proving']);
must(process.execPath, ['dist/doubt.mjs', ...process.argv.slice(2)], { timeout: 3_600_000 });
