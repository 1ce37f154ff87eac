// npm start -- --images FOLDER --library FOLDER [--drive DEVICE] [--data FOLDER] [--name NAME] [--port N] [--after NAME=COMMAND]: runs the application on your own folders.
import { readFileSync, readdirSync, realpathSync, statSync, writeFileSync } from 'node:fs';
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
    drive: { type: 'string', multiple: true, default: [] },
    data: { type: 'string', default: path.join(homedir(), '.careful-vault') },
    name: { type: 'string' },
    after: { type: 'string', multiple: true, default: [] },
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
/** Optical drives are found by themselves, whenever they are connected; `--drive` names any other device, or an image that stands in for one. */
const optical = () => {
  try {
    return readdirSync('/sys/block').some((name) => /^sr\d+$/.test(name));
  } catch {
    return false;
  }
};
await ensurePrograms(['ffmpeg', 'setpriv', 'tesseract', ...(optical() || values.drive.length > 0 ? ['eject'] : [])]);
await buildAll();
const config = path.join(dataFolder, 'config.json');
const before = (() => {
  try {
    return JSON.parse(readFileSync(config, 'utf8'));
  } catch {
    return {}; // the first start
  }
})();
/** Places keep their ids from start to start, in whatever order they are given: discs and plans name them by these. */
function places(kind, given, known) {
  const paths = given.map((folder) => {
    if (!statSync(folder, { throwIfNoEntry: false })?.isDirectory()) {
      console.error(`${folder} is not a folder.`);
      process.exit(66);
    }
    return realpathSync(folder);
  });
  const used = new Set(known.map((k) => k.id));
  const free = () => {
    for (let n = 1; ; n++) if (!used.has(`${kind}-${n}`)) return `${kind}-${n}`;
  };
  return paths.map((folder) => {
    const id = known.find((k) => k.path === folder)?.id ?? free();
    used.add(id);
    return { id, name: path.basename(folder), path: folder };
  });
}
/** Places of earlier starts that are not given now: their ids stay theirs. */
const others = (now, known) => known.filter((k) => !now.some((n) => n.id === k.id));
const knownRoots = [...(before.roots ?? []), ...(before.otherRoots ?? [])];
const knownStorages = [...(before.storages ?? []), ...(before.otherStorages ?? [])];
const roots = places('images', values.images, knownRoots);
const storages = places('library', values.library, knownStorages);
/** What may be run once the queue is done, in the words of whoever starts this: never anything that a page says. */
const afterQueue = values.after.map((text, i) => {
  const at = text.indexOf('=');
  if (at < 1 || text.slice(at + 1).trim() === '') {
    console.error(`--after wants a name and a command, as in --after "Switch off=systemctl poweroff"; ${text} is not like that.`);
    process.exit(64);
  }
  return { id: `after-${i + 1}`, name: text.slice(0, at).trim(), command: ['/bin/sh', '-c', text.slice(at + 1)] };
});
writeFileSync(
  config,
  JSON.stringify(
    {
      dataFolder,
      archive: values.name ?? 'My archive',
      roots,
      storages,
      drives: [],
      devices: values.drive.map((device) => ({
        id: `device-${path
          .basename(device)
          .toLowerCase()
          .replace(/[^a-z0-9]+/g, '-')
          .slice(0, 30)}`,
        name: path.basename(device),
        path: path.resolve(device),
      })),
      opticalDrives: true,
      afterQueue,
      otherRoots: others(roots, knownRoots),
      otherStorages: others(storages, knownStorages),
    },
    null,
    2,
  ),
);
const port = await freePort(Number(values.port));
supervise({ config, dataFolder, port, dev: values.dev });
tell(addressOf(port));
await announce(port);
