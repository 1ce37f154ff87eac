// npm run bench: speed as ratios measured side by side. Never part of the tests.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage']);
ensurePackages();
const { bundle } = await import('./bundle.mjs');
await bundle(['demo', 'bench']);
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'demo')]);
must(process.execPath, ['dist/bench.mjs', path.join(root, '.cache', 'demo', 'discs', 'LAMPLIGHTERS.iso')]);
