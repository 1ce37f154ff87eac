// npm run doubt [mutations] [first seed]: discs and masters spoilt in known ways; whatever passes without a word is a hole in the proof.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

await ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage']);
await ensurePackages();
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'fixtures', 'proving'), 'proving']);
must(process.execPath, ['dist/doubt.mjs', ...process.argv.slice(2)], { timeout: 3_600_000 });
