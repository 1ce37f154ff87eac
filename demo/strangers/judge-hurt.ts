import { DiscError, equalBytes, memorySource, type ByteSource } from '@/core/bytes';
import type { Assembly } from '@/core/assembly';
import { FAULT_WEIGHTS, openContent, readDisc, type Fault, type Reading, type Title } from '@/core/reading';
import type { Reel } from '@/core/reels';
import { openImage } from '@/core/volume';
import { SECTOR } from './block';
import { SEGMENTS } from './bluray/draw-loss';
import { playlistNumber, type BlurayPlan, type ItemPlan } from './bluray/plan';
import type { DvdPlan } from './dvd/plan';
import type { Verdict } from './judge';
import type { DiscPlan } from './shrink';
import { GROUP } from './streams';
import { bytesOf, reelOf, saidOf, shown, taken, type Open } from './take';

/** What was lost of a disc, and the titles that show all that stands round it. */
interface Loss {
  readonly what: string;
  readonly of: (title: Title) => boolean;
}

function lossOfBluray({ clips, playlists }: BlurayPlan): Loss | null {
  const at = clips.findIndex((c) => c.lost);
  const clip = clips[at];
  if (!clip?.lost) return null;
  const { kind, stream, packet } = clip.lost;
  const of = { picture: clip.groups * GROUP, emptied: clip.groups * GROUP, sound: clip.sounds[stream]?.frames ?? 0 };
  if (packet >= (kind === 'graphics' ? (clip.graphics[stream]?.events.length ?? 0) * SEGMENTS : of[kind])) return null;
  const isWhole = (item: ItemPlan) =>
    item.clip === at &&
    item.from === 0 &&
    item.to === clip.groups &&
    (kind !== 'sound' || stream < item.sounds) &&
    (kind !== 'graphics' || stream < item.graphics);
  const numbers = playlists.flatMap((l, i) => (l.items.some(isWhole) ? [playlistNumber(i)] : []));
  const codec = kind === 'sound' ? ` ${clip.sounds[stream]?.codec ?? ''}` : '';
  return { what: `${kind}${codec}: packet ${packet} of stream ${stream}`, of: (t) => t.playlist !== null && numbers.includes(t.playlist) };
}

function lossOfDvd(plan: DvdPlan): Loss | null {
  for (const [s, { vobs, chains, titles, audio }] of plan.sets.entries())
    for (const [v, vob] of vobs.entries()) {
      const sound = vob.lost && vob.sounds[vob.lost.sound];
      if (!sound) continue;
      const shows = (c: number) => {
        const cells = chains[c]?.cells.map((cell) => (cell.vob === v && !cell.still ? cell.cell : -1)).join() ?? '';
        const isTaken = chains[c]?.audio.includes(sound.physical) ?? false;
        return isTaken && cells.includes(vob.cells.map((_, i) => i).join());
      };
      const wanted = plan.titles.flatMap(({ set, title }, i) => (set === s && titles[title]?.chains.some(shows) ? [i + 1] : []));
      return { what: `${sound.codec}: a pack of sound ${sound.physical} of ${audio.length}`, of: (t) => wanted.includes(t.number) };
    }
  return null;
}

/** What is so on discs that lack nothing. */
const isNews = ({ kind }: Fault): boolean => kind !== 'over the cut' && kind !== 'no track';

/** Of a disc that something was lost of: whether anybody says so where a title that shows it is taken. */
export async function judgeLoss(plan: DvdPlan | BlurayPlan, image: Uint8Array): Promise<Verdict[]> {
  const loss = 'sets' in plan ? lossOfDvd(plan) : lossOfBluray(plan);
  const { reading, open } = await read(memorySource(plan.label, image));
  const title = loss && reading.titles.find(loss.of);
  if (!title || reading.remarks.some((r) => r.severity !== 'note')) return [];
  const got = await orRefused(taken(reading, reelOf(title), open));
  if (got instanceof DiscError || got.assembly.wholeness().faults.some(isNews)) return [];
  return [{ kind: 'lost', title: title.number, what: `${loss.what} is gone, and nobody says so` }];
}

interface Read {
  readonly reading: Reading;
  readonly open: Open;
}

async function read(source: ByteSource): Promise<Read> {
  const volume = await openImage(source);
  return { reading: await readDisc(volume), open: (name) => openContent(volume, name) };
}

/** A medium some of whose sectors can not be read. */
const failing = (source: ByteSource, { from, to }: ReturnType<typeof hurtSectors>): ByteSource => ({
  ...source,
  read: (offset, target) =>
    offset < to * SECTOR && offset + target.byteLength > from * SECTOR
      ? Promise.reject(new DiscError('read-failed', { source: source.name, byteOffset: from * SECTOR }, 'The sector can not be read'))
      : source.read(offset, target),
});

/** A second of a stream, and more. */
const RIGHT_BEHIND = 2048;
const MOST_CHAPTERS = 6;

const chapterReel = (title: Title, chapter: number): Reel => ({
  ...reelOf(title),
  pieces: [{ title: title.number, angle: 1, fromChapter: chapter, toChapter: chapter }],
});

type Taken = Awaited<ReturnType<typeof taken>>;

/** The first that is not as it should be, by track; null where all is. */
function difference({ came: right, assembly }: Taken, { came: got }: Taken): string | null {
  for (const [track, list] of right.entries()) {
    const { kind, ...of } = assembly.tracks[track] as Assembly['tracks'][number];
    // Samples are the same in whatever runs they come.
    const isSame =
      equalBytes(bytesOf(list), bytesOf(got[track])) && Math.abs((list[0]?.ticks ?? 0) - (got[track]?.[0]?.ticks ?? 0)) < 27_000;
    if (kind === 'audio' && 'lpcm' in of && of.lpcm && isSame) continue;
    for (let i = 0; i < Math.max(list.length, got[track]?.length ?? 0); i++) {
      const [a, b] = [list[i], got[track]?.[i]];
      if (!a || !b || a.ticks !== b.ticks || !equalBytes(a.bytes, b.bytes))
        return `track ${track} is another from ${shown(((a ?? b)?.ticks ?? 0) / 27_000)} on`;
    }
  }
  return null;
}

/** The sectors that hold something else, from and up to. */
function hurtSectors(whole: Uint8Array, hurt: Uint8Array): { readonly from: number; readonly to: number } {
  const differ: number[] = [];
  for (let at = 0; at < whole.byteLength; at += SECTOR)
    if (!equalBytes(whole.subarray(at, at + SECTOR), hurt.subarray(at, at + SECTOR))) differ.push(at / SECTOR);
  return { from: differ[0] ?? 0, to: (differ.at(-1) ?? -1) + 1 };
}

/** Whether some of the sectors stand in a chapter: what of them no stream is known of is the chapter's, though another piece may not miss it. */
function isInside(
  { segments }: Reading,
  { parts, chapters, subtitles }: Title,
  chapter: number,
  { from, to }: ReturnType<typeof hurtSectors>,
): boolean {
  const first = chapters[chapter - 1]?.firstPart ?? 0;
  const own = new Set(parts.slice(first, chapters[chapter]?.firstPart).map((p) => p.segment));
  // Where a title has subtitles, what stands right behind the cut may have been one.
  const behind = subtitles.length > 0 ? RIGHT_BEHIND : 0;
  return segments.some((s) => own.has(s.id) && s.discSector < to && s.discSector + s.lastSector - s.firstSector + behind >= from);
}

const isHeardOrSeen = ({ assembly }: Taken, { track }: Fault) => track !== null && assembly.tracks[track]?.kind !== 'subtitle';

const orRefused = <T>(work: Promise<T>): Promise<T | DiscError> =>
  work.catch((error: unknown) => {
    if (error instanceof DiscError) return error;
    throw error;
  });

/**
 * Of a disc some of whose sectors hold something else: a chapter that comes out as it does of the whole disc is whole, and nothing else
 * is said of it; of any other somebody says so.
 */
export async function judgeSpoilt({ label, spoilt }: DiscPlan, whole: Uint8Array, hurt: Uint8Array): Promise<Verdict[]> {
  const how = spoilt?.how;
  const sectors = hurtSectors(whole, hurt);
  const source = memorySource(label, whole);
  const [before, after] = [await read(source), await read(how === 'unreadable' ? failing(source, sectors) : memorySource(label, hurt))];
  const verdicts: Verdict[] = [];
  for (const title of before.reading.titles) {
    const same = after.reading.titles.find((t) => t.number === title.number && t.playlist === title.playlist);
    if (same?.chapters.length !== title.chapters.length) continue;
    for (let chapter = 1; chapter <= Math.min(MOST_CHAPTERS, title.chapters.length); chapter++) {
      const said = (kind: Verdict['kind'], what: string) =>
        verdicts.push({ kind, title: title.playlist ?? title.number, what: `chapter ${chapter}: ${what}` });
      const reel = chapterReel(title, chapter);
      const right = await orRefused(taken(before.reading, reel, before.open));
      if (right instanceof DiscError) continue;
      const wronged = right.assembly.wholeness().faults.find((f) => FAULT_WEIGHTS[f.kind] === 'damage');
      if (wronged) said('accused', `of the disc as it was written: ${saidOf(wronged)}`);
      const inside = isInside(before.reading, title, chapter, sectors);
      const got = await orRefused(taken(after.reading, reel, after.open));
      if (got instanceof DiscError) {
        // What can be had of it shows whether anything is missing.
        const all = await orRefused(taken(after.reading, { ...reel, damage: 'around' }, after.open));
        if (!inside && !(all instanceof DiscError) && difference(right, all) === null) said('refused', `is whole: ${got.message}`);
        continue;
      }
      const other = difference(right, got);
      const damage = got.assembly.wholeness().faults.find((f) => FAULT_WEIGHTS[f.kind] === 'damage' && !(inside && !isHeardOrSeen(got, f)));
      const isTold = got.assembly.wholeness().faults.some(isNews);
      if (other !== null && !isTold) said('lost', `${other}, and nobody says so`);
      if (other === null && damage) said('accused', `is whole, and ${saidOf(damage)}`);
    }
  }
  return verdicts;
}
