// npm run demo: from a fresh clone to a running application with a demo archive. It starts with the first disc; the others come beside it.
import path from 'node:path';
import { parseArgs } from 'node:util';
import { ensurePackages, ensurePrograms, root } from './ensure.mjs';

const { values } = parseArgs({
  options: { port: { type: 'string', default: '4420' }, data: { type: 'string', default: path.join(root, '.data', 'demo') } },
});
// Packages of both kinds come over the network at once.
await Promise.all([ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage', 'setpriv', 'tesseract']), ensurePackages('running')]);
const { buildPages, buildPrograms } = await import('./build.mjs');
const { makeFirstDisc, startDemo } = await import('./demo-app.mjs');
await buildPrograms();
const cache = path.join(root, '.cache', 'fixtures', 'demo');
await Promise.all([buildPages(), makeFirstDisc(cache)]);
await startDemo(cache, values.data, Number(values.port));
