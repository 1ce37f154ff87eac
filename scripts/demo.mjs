// npm run demo: from a fresh clone to a running application with a demo archive.
import path from 'node:path';
import { parseArgs } from 'node:util';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

const { values } = parseArgs({
  options: { port: { type: 'string', default: '4420' }, data: { type: 'string', default: path.join(root, '.data', 'demo') } },
});
ensurePrograms(['ffmpeg', 'dvdauthor', 'spumux', 'genisoimage', 'setpriv', 'tesseract']);
ensurePackages();
const { buildAll } = await import('./build.mjs');
const { step } = await import('./steps.mjs');
const { startDemo } = await import('./demo-app.mjs');
await buildAll();
const cache = path.join(root, '.cache', 'demo');
await step('making the demo discs', 'about a minute, once', () => must(process.execPath, [path.join('dist', 'demo.mjs'), cache]));
await startDemo(cache, values.data, Number(values.port));
