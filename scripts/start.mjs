// npm start -- --images FOLDER --library FOLDER [--data FOLDER] [--port N]: runs the application on your own folders.
import { realpathSync, statSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { ensurePrograms } from './ensure.mjs';
import { buildAll } from './build.mjs';
import { supervise } from './supervise.mjs';
import { addressOf, announce, freePort } from './address.mjs';
import { holdDataFolder } from './lock.mjs';

const { values } = parseArgs({
  options: {
    images: { type: 'string', multiple: true, default: [] },
    library: { type: 'string', multiple: true, default: [] },
    data: { type: 'string', default: path.join(homedir(), '.careful-vault') },
    port: { type: 'string', default: '4420' },
    dev: { type: 'boolean', default: false },
  },
});
if (values.images.length === 0 || values.library.length === 0) {
  console.error(
    'Say where your disc images are and where results go:\n\n  npm start -- --images /path/to/images --library /path/to/library\n\nBoth can be given more than once. To look around first: npm run demo',
  );
  process.exit(64);
}
const { dataFolder, tell } = holdDataFolder(values.data);
ensurePrograms(['ffmpeg', 'setpriv']);
await buildAll();
const place = (kind) => (given, i) => {
  if (!statSync(given, { throwIfNoEntry: false })?.isDirectory()) {
    console.error(`${given} is not a folder.`);
    process.exit(66);
  }
  return { id: `${kind}-${i + 1}`, name: path.basename(path.resolve(given)), path: realpathSync(given) };
};
const config = path.join(dataFolder, 'config.json');
writeFileSync(
  config,
  JSON.stringify(
    { dataFolder, roots: values.images.map(place('images')), storages: values.library.map(place('library')), drives: [] },
    null,
    2,
  ),
);
const port = await freePort(Number(values.port));
supervise({ config, dataFolder, port, dev: values.dev });
tell(addressOf(port));
await announce(port);
