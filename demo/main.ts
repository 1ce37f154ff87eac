import { linkSync, mkdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { identify, isAlive, readProcess } from '@/node/process-id';
import { talkBuilding } from './beside';
import { blurayBuildings } from './bluray/build';
import { PROVING_BLURAYS } from './bluray/proving';
import { DEMO_BLURAYS } from './bluray/scenario';
import { buildAll } from './building';
import { dvdBuildings } from './discs';
import { oddBuildings } from './odd-discs';
import { PROVING_ARCHIVE } from './proving';
import { DEMO_ARCHIVE } from './scenario';

/** Makes discs: `demo CACHE first|demo|proving`. How far it is stands in `CACHE/making.json` meanwhile. */

const [folder = '.cache/fixtures/demo', which = 'demo'] = process.argv.slice(2);
const cache = path.resolve(folder);
mkdirSync(cache, { recursive: true });

/** One makes them at a time: another waits for it, and finds them made. */
const lock = path.join(cache, 'maker.json');
const own = `${lock}.${process.pid}`;
writeFileSync(own, JSON.stringify(identify(process.pid)));
for (;;) {
  try {
    linkSync(own, lock);
    break;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
    const other = readProcess(lock);
    if (other === null || !isAlive(other)) rmSync(lock, { force: true });
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}
rmSync(own);
// Whoever started it is gone, or wants it to stop: what is made next begins anew then, what is made stays.
for (const signal of ['SIGTERM', 'SIGINT', 'disconnect'] as const) process.once(signal, () => process.exit(143));

const demo = () => [...dvdBuildings(DEMO_ARCHIVE, cache), ...blurayBuildings(DEMO_BLURAYS, cache), talkBuilding(cache)];
const buildings =
  which === 'proving'
    ? // The longest first: the others fill the second core meanwhile.
      [...blurayBuildings(PROVING_BLURAYS, cache), ...dvdBuildings(PROVING_ARCHIVE, cache), ...oddBuildings(cache)].sort(
        (a, b) => b.work - a.work,
      )
    : which === 'first'
      ? demo().slice(0, 1)
      : demo();
const status = path.join(cache, 'making.json');
try {
  let made = 0;
  await buildAll(buildings, cache, (making) => {
    writeFileSync(`${status}.new`, JSON.stringify(making));
    renameSync(`${status}.new`, status);
    if (making.made > made) console.log(`${making.made} of ${making.total} made`);
    made = making.made;
  });
} finally {
  rmSync(status, { force: true });
  rmSync(lock, { force: true });
}
