// npm run bench [-- core | encode | views | queue | pages]: speed as ratios measured side by side. Never part of the tests.
import path from 'node:path';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

await ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage', 'chromium-headless-shell']);
await ensurePackages();
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'fixtures', 'proving'), 'proving']);
must(process.execPath, ['dist/demo.mjs', path.join(root, '.cache', 'fixtures', 'demo')]);
const which = process.argv[2] ?? 'all';
if (which === 'encode' || which === 'views' || which === 'queue') must(process.execPath, ['dist/bench.mjs', `--${which}`]);
else if (which !== 'pages')
  must(process.execPath, ['dist/bench.mjs', path.join(root, '.cache', 'fixtures', 'demo', 'discs', 'LAMPLIGHTERS.iso')]);
if (which === 'all' || which === 'pages') await (await import('./bench-pages.mjs')).benchPages();
