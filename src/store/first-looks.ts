import { useLiveQuery } from 'dexie-react-hooks';
import { canBeTaken } from '@/core/reading';
import { catalogue } from './archive';
import { currentEngine, onArrival } from './engine';
import { fetchPictures, knownPicture } from './looks';
import { quietSource, readableSources } from './sources';

/** A picture of each disc, by which it is known again on the shelf: taken once, when the disc is there and is looked for. */

const WIDTH = 160;
/** Behind logos and titles, and before the film is given away. */
const AT = 0.2;

const due: string[] = [];
const tried = new Set<string>();
let running = false;

async function take(fingerprint: string): Promise<void> {
  const db = catalogue();
  const [disc, known] = await Promise.all([db.discs.get(fingerprint), db.firstLooks.get(fingerprint)]);
  if (!disc || known) return;
  const engine = currentEngine();
  const source = quietSource(readableSources(disc, engine), engine);
  const usable = disc.reading.titles.filter(canBeTaken);
  const title = usable.find((t) => t.number === disc.findings.mainTitle) ?? usable.toSorted((a, b) => b.durationMs - a.durationMs)[0];
  if (!engine || !source || !title) return;
  const wish = { source: source.ref, reading: disc.reading, title: title.number, angle: 1, width: WIDTH };
  const ms = Math.round(title.durationMs * AT);
  await fetchPictures(wish, [ms]);
  await db.firstLooks.put({ fingerprint, picture: knownPicture(wish, ms) ?? null });
}

async function run(): Promise<void> {
  if (running) return;
  running = true;
  for (let next = due.shift(); next !== undefined; next = due.shift()) {
    // A disc that can not be looked into now has no picture: its place on the shelf says so, and nothing waits for it.
    await take(next).catch(() => undefined);
  }
  running = false;
}

/** Says that a disc is seen on the shelf and would have a picture. One at a time; each once while the page is open. */
export function wantFirstLook(fingerprint: string): void {
  if (tried.has(fingerprint)) return;
  tried.add(fingerprint);
  due.push(fingerprint);
  void run();
}

/** Takes one of every disc that comes in. @returns what ends that. */
export const lookAtArrivals = (): (() => void) => onArrival(wantFirstLook);

/** Live; null where there is none. */
export const useFirstLook = (fingerprint: string): string | null =>
  useLiveQuery(async () => (await catalogue().firstLooks.get(fingerprint))?.picture ?? null, [fingerprint]) ?? null;
