import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { RecipeSchema } from '@/contract';
import { proveCopy, type MasterPromise } from '@/core/proof';
import {
  CONTAINERS,
  CONTAINER_ENDING,
  COPY_AUDIO,
  COPY_VIDEO,
  CORNERS,
  DEINTERLACE,
  DENOISE,
  DRAWN,
  MOST_CHANNELS,
  SHIPPED,
  SPEEDS,
  TURNS,
  VIEW_LAYOUTS,
  expectationOf,
  holdsNothing,
  planEncode,
  type Mark,
  type Recipe,
} from '@/core/recipes';
import { encodeFacts, wholeTitleReel, type Reel } from '@/core/reels';
import type { Reading } from '@/core/reading';
import { encodeCopy } from '@/node/encode-pieces';
import { examineCopy } from '@/node/ffmpeg';
import { openFileSink } from '@/node/library';
import { openSource } from '@/node/open-source';
import { writeReel } from '@/node/write-reel';
import { CADENCE, HAVEN, LOCKS, QUAY, SLIDES, TWIN, titleOf } from '@/test-support/discs';
import type { Random } from '@/test-support/random';

/**
 * Recipes at random on every kind of source: whatever can be chosen becomes a copy that passes its proof. Nobody tries all that goes
 * together; each of the parts has its tests.
 */

interface Source {
  readonly name: string;
  readonly file: string;
  readonly reading: Reading;
  readonly reel: Reel;
  readonly promise: MasterPromise;
}

/** A line that was written by hand, with what filters and shells would take for their own. */
const added: NonNullable<Reel['added']>[number] = {
  ...{ name: 'added', language: 'en', format: 'SubRip', header: '', offsetMs: 0, isDefault: false, isForced: false },
  cues: [{ startMs: 200, endMs: 900, text: 'Hello, "it\'s": 100 % [a]' }],
};

const SOURCES: readonly (readonly [name: string, disc: string, title: number, change: Partial<Reel>])[] = [
  ['DVD', QUAY, 2, {}],
  ['episode', LOCKS, 1, {}],
  ['film and video in turn', CADENCE, 1, {}],
  ['slides', SLIDES, 1, {}],
  ['slides, silent', SLIDES, 4, {}],
  ['Blu-ray', HAVEN, 1, {}],
  ['two views', TWIN, 1, {}],
  ['two views, subtitles in front', TWIN, 1, { subtitleDepth: 12, firstEye: 'right' }],
  ['two titles', TWIN, 2, { otherEye: { title: 2, angle: 2, eye: 'right' } }],
  ['two titles, subtitles behind', TWIN, 2, { subtitleDepth: -9, otherEye: { title: 2, angle: 2, eye: 'left' } }],
  ['packed', HAVEN, 1, { packed: { packing: 'beside', first: 'left' } }],
];

async function masterOf(folder: string, [name, disc, title, change]: (typeof SOURCES)[number]): Promise<Source> {
  const opened = await openSource({ kind: disc.endsWith('.iso') ? 'image' : 'folder', path: disc, label: name });
  const reading = await opened.examine();
  const reel: Reel = { ...wholeTitleReel(titleOf(reading, title), name), added: [added], recipes: ['master'], ...change };
  const file = path.join(folder, `${name}.mkv`);
  const sink = await openFileSink(file);
  const { promise } = await writeReel(opened, reading, reel, sink, { signal: new AbortController().signal, onProgress: () => undefined });
  await sink.close();
  await opened.close();
  return { name, file, reading, reel, promise };
}

const mark: Mark = { kind: 'text', text: "It's a: mark, 100 %", corner: CORNERS[0], heightPercent: 10, opacityPercent: 60 };

/** A recipe as a user could put it together; most of what it could ask for it does not. */
export function recipeAtRandom(random: Random): Recipe {
  const rarely = <T>(percent: number, value: () => T, usual: T): T => (random.int(100) < percent ? value() : usual);
  const is = (percent: number) => random.int(100) < percent;
  const [plain] = SHIPPED;
  if (!plain) throw new Error('no recipe is shipped');
  const codec = random.pick(COPY_VIDEO);
  return RecipeSchema.parse({
    ...plain,
    ...{ id: 'random', name: 'At random', suffix: '', container: random.pick(CONTAINERS) },
    video: {
      ...plain.video,
      ...{ codec, effort: 'little', quality: codec.startsWith('MPEG') ? 4 : 30, keySeconds: rarely(30, () => 1, null) },
      rate: rarely(15, () => ({ kind: 'average', kbps: 3000 }), null),
      frameRate: rarely(15, () => 'constant', 'kept'),
    },
    speed: rarely(15, () => random.pick(SPEEDS), 'kept'),
    views: { layout: random.pick(VIEW_LAYOUTS), swapped: is(30) },
    picture: {
      ...plain.picture,
      ...{ deinterlace: random.pick(DEINTERLACE), bars: rarely(40, () => 'crop', 'keep'), mostRows: rarely(30, () => 160, null) },
      ...{ pixels: rarely(30, () => 'square', 'as they are'), turn: rarely(15, () => random.pick(TURNS), 'none'), mirror: is(10) },
      denoise: rarely(20, () => random.pick(DENOISE.filter((d) => d !== 'thorough')), 'none'),
      ...{ brightness: rarely(10, () => 10, 0), mark: rarely(15, () => mark, null) },
    },
    audio: {
      ...plain.audio,
      ...{
        codec: random.pick(COPY_AUDIO),
        mostChannels: random.pick(MOST_CHANNELS),
        stereoBeside: is(20),
        tracks: rarely(30, () => 'first', 'all'),
      },
      ...{ loudness: rarely(10, () => -20, null), gainDb: rarely(10, () => 3, 0), delayMs: rarely(15, () => random.pick([300, -300]), 0) },
      pitch: rarely(20, () => 'falls', 'kept'),
    },
    subtitles: { kept: is(50) ? 'all' : 'none', drawn: random.pick(DRAWN) },
  });
}

async function copied(source: Source, recipe: Recipe, folder: string, pieceMs: number): Promise<void> {
  const { promise, reading, reel } = source;
  const facts = encodeFacts(reading, reel, promise.interlaced);
  if (!facts) throw new Error('no such title');
  const plan = planEncode(recipe, facts);
  // Such an order is refused.
  if (holdsNothing(plan)) return;
  const output = path.join(folder, `copy${CONTAINER_ENDING[recipe.container]}`);
  const order = {
    ...{ plan, master: source.file, masterMs: promise.durationMs, output, folder: path.join(folder, 'pieces') },
    ...{ application: 'soak', pieceMs, chapters: promise.chapters, tags: { title: 'At random' } },
  };
  await encodeCopy(order, { progress: () => undefined, note: () => undefined });
  const { checks, passed } = proveCopy(await examineCopy(output), expectationOf(plan, promise), promise);
  if (!passed) throw new Error(JSON.stringify(checks.filter((c) => !c.passed)));
}

/** @returns whether every copy could be made and passed its proof; what could not is printed with what it was made from. */
export async function recipesAtRandom(count: number, random: Random): Promise<boolean> {
  const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-recipes-'));
  let failed = 0;
  try {
    const sources: Source[] = [];
    for (const wished of SOURCES) sources.push(await masterOf(folder, wished));
    for (let i = 0; i < count; i++) {
      const own = path.join(folder, 'copy');
      mkdirSync(own);
      const [source, recipe, pieceMs] = [random.pick(sources), recipeAtRandom(random), random.pick([1500, 60_000])];
      await copied(source, recipe, own, pieceMs).catch((error: unknown) => {
        failed++;
        console.log(`${i + 1}: ${source.name}, pieces of ${pieceMs} ms: ${(error as Error).message}\n  ${JSON.stringify(recipe)}`);
      });
      rmSync(own, { recursive: true });
    }
  } finally {
    rmSync(folder, { recursive: true });
  }
  console.log(`recipes at random: ${count} copies, ${failed} of them not made or not proven`);
  return failed === 0;
}
