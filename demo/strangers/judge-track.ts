import { concatBytes, equalBytes } from '@/core/bytes';
import type { Placed, TitleTruth, TrackTruth } from './truth';

/** A packet that came out. */
export interface Came {
  readonly ticks: number;
  readonly bytes: Uint8Array;
}

const TICKS = 300;
/** Stamps of pictures whose time is no whole number of ticks are rounded. */
const STAMP_TICKS = TICKS + 1;
/** Stamps are whole ticks of 90 kHz, and LPCM units stand in packets of several. */
const SLACK_TICKS = 27_000;
/** One that waits for the viewer stands for a time that the reader chooses, and says: not for ever, and not for nothing. */
export const stillSeconds = ({ still }: { readonly still: number }): number => (still === 255 ? 10 : still);
/** Over a join, samples follow each other where their stamps are no further apart than 5 ms. */
const NEAR_SAMPLES = 245;
/** How long the next VOB may wait for sound of the one before. */
const MOST_HOLD_90K = 20_000;

/**
 * Compares what came of sound or subtitles with what was known.
 * @param starts where the first picture of each stretch came out, in ticks. @returns what is wrong.
 */
export function judgeTrack(
  truth: TitleTruth,
  track: TrackTruth,
  allCame: readonly Came[],
  starts: readonly number[],
  how: { readonly swapped?: boolean; readonly subtitle?: boolean } = {},
): string[] {
  const wrong: string[] = [];
  if (how.swapped) return judgeSamples(truth, track, allCame, starts);
  const ticksOf = (s: number, one: Placed) => (starts[s] ?? 0) + (one.at90k - (truth.stretches[s]?.from90k ?? 0)) * TICKS;
  // What clears the screen at a cut is the reader's own.
  const came = allCame.filter(
    (got) =>
      !clears(got) ||
      track.stretches.some((list, s) =>
        list?.some((one) => equalBytes(one.bytes, got.bytes) && Math.abs(ticksOf(s, one) - got.ticks) <= SLACK_TICKS),
      ),
  );
  let next = 0;
  track.stretches.forEach((list, s) => {
    const stretch = truth.stretches[s] as TitleTruth['stretches'][number];
    const isLast = s === truth.stretches.length - 1;
    // What comes before the first that decoding can begin with can not be heard where nothing leads to it.
    let heard = stretch.begins && next > 0;
    const placed = (list ?? []).map((one) => {
      const own = belongs(one, stretch, isLast, how.subtitle ?? false);
      heard ||= one.isKey !== false && own.may;
      return { ...one, ...own, must: own.must && heard };
    });
    for (const one of placed) {
      if (!one.may) continue;
      const got = came[next];
      const ticks = ticksOf(s, one);
      // What is on the screen at a cut is shown until there, and says so itself.
      const isCutOff = how.subtitle === true && !stretch.ends && one.at90k + one.length90k > stretch.to90k;
      // What is on the screen already is shown from the cut on.
      const least = Math.min(ticks, starts[s] ?? 0) - SLACK_TICKS;
      const inTime =
        got &&
        got.ticks <= (how.subtitle ? Math.max(ticks, starts[s] ?? 0) : ticks) + SLACK_TICKS &&
        got.ticks >= (how.subtitle ? least : ticks - SLACK_TICKS);
      const near = inTime && got.bytes.byteLength === one.bytes.byteLength;
      const here = got && (isCutOff ? near : equalBytes(got.bytes, one.bytes) && (one.must || near));
      if (here) {
        next++;
        if (Math.abs(got.ticks - ticks) > SLACK_TICKS && one.must)
          wrong.push(`at ${(ticks / 27e6).toFixed(3)} s came at ${(got.ticks / 27e6).toFixed(3)} s`);
      } else if (one.must) wrong.push(`${one.bytes.byteLength} bytes at ${(ticks / 27e6).toFixed(3)} s (stretch ${s}) did not come`);
    }
  });
  if (next < came.length) wrong.push(`${came.length - next} of ${came.length} are not its own`);
  return few(wrong);
}

/** A display set of graphics that shows no object. BD-ROM part 3, presentation_composition_segment */
export const clears = ({ bytes }: Came): boolean => bytes[0] === 0x16 && bytes[1] === 0 && bytes[13] === 0;

const MOST_EARLY_90K = 1440 + 2880;

const few = (wrong: string[]) => (wrong.length > 4 ? [...wrong.slice(0, 3), `and ${wrong.length - 3} more`] : wrong);

/** What of a stream belongs to a stretch: all of it where the stretch is a whole VOB, else what lies inside; what lies over a cut may. */
function belongs(
  one: Placed,
  { from90k, to90k, begins, ends, isCutBefore }: TitleTruth['stretches'][number],
  isLast: boolean,
  subtitle: boolean,
): { must: boolean; may: boolean } {
  const end = one.at90k + one.length90k;
  if (subtitle) {
    // What would be shown for a moment only before a cut is not.
    const inside = one.at90k >= from90k && one.at90k < to90k;
    return { must: inside && (ends || one.at90k + 20_000 < to90k), may: inside || (one.at90k < to90k && end >= from90k) };
  }
  // At a cut, one frame of each side may be heard at the same time: then only one of them is taken.
  const after = begins || one.at90k >= from90k + one.length90k;
  const before = ends || end <= to90k;
  // Where nothing is cut off, a little may be heard before the first picture and after the last.
  const free = isCutBefore !== undefined;
  const least = from90k - (free ? MOST_EARLY_90K : 0);
  return { must: after && before, may: (begins || end > least) && (ends || (free && isLast) || one.at90k < to90k) };
}

/** Compares the pictures that came. @returns what is wrong, and where the first of each stretch came out, in ticks. */
export function judgePictures(truth: TitleTruth, came: readonly Came[]): { readonly wrong: string[]; readonly starts: readonly number[] } {
  const wrong: string[] = [];
  const starts: number[] = [];
  let next = 0;
  let endTicks: number | null = null;
  for (const [s, stretch] of truth.stretches.entries()) {
    let start: number | null = null;
    for (const picture of stretch.pictures) {
      const got = came[next];
      if (!got || !equalBytes(got.bytes, picture.bytes)) {
        wrong.push(`${picture.bytes.byteLength} bytes of a picture at ${(picture.at90k / 90e3).toFixed(3)} s of stretch ${s} did not come`);
        continue;
      }
      next++;
      const offset = (picture.at90k - stretch.from90k) * TICKS;
      start ??= got.ticks - offset;
      if (Math.abs(got.ticks - offset - start) > STAMP_TICKS)
        wrong.push(`stretch ${s}: picture is shown ${((got.ticks - offset - start) / 27e3).toFixed(1)} ms late`);
    }
    start ??= endTicks ?? 0;
    if (endTicks !== null && (start < endTicks - STAMP_TICKS || start > endTicks + MOST_HOLD_90K * TICKS))
      wrong.push(`stretch ${s} begins ${((start - endTicks) / 27e3).toFixed(1)} ms after the one before`);
    starts.push(start);
    endTicks = start + (stretch.to90k - stretch.from90k) * TICKS + stillSeconds(stretch) * 27e6;
  }
  if (next < came.length) wrong.push(`${came.length - next} pictures are not its own`);
  return { wrong: few(wrong), starts };
}

/**
 * LPCM stands in packets as it comes, of which one may reach over a join: each is looked for where it is heard, and what of a stretch
 * none of them has is missing.
 */
function judgeSamples(truth: TitleTruth, track: TrackTruth, came: readonly Came[], starts: readonly number[]): string[] {
  const wrong: string[] = [];
  const stretches = track.stretches.flatMap((list, s) => {
    const first = list?.[0];
    if (!list || !first) return [];
    const stretch = truth.stretches[s] as TitleTruth['stretches'][number];
    const startTicks = (starts[s] ?? 0) + (first.at90k - stretch.from90k) * TICKS;
    return [{ s, list, stretch, startTicks, whole: concatBytes(list.map((one) => one.bytes)), heard: new Uint8Array(list.length) }];
  });
  for (const { ticks, bytes } of came) {
    const own = swapped(bytes);
    let done = 0;
    // A run may reach over a join, and cells of a VOB that two chains show one after the other have its sound in common.
    for (let found = 1; found > 0 && done < own.byteLength; done += found) {
      found = 0;
      for (const { startTicks, whole, heard, list } of stretches) {
        const unit = list[0]?.bytes.byteLength ?? 0;
        const sample = unit / Math.round(((list[0]?.length90k ?? 1) * 48_000) / 90_000);
        const wanted = Math.round(((ticks - startTicks) / 27e6) * 48_000) + done / sample;
        if (wanted < -NEAR_SAMPLES || (wanted - NEAR_SAMPLES) * sample >= whole.byteLength) continue;
        const [from, length] = nearest(whole, wanted, own.subarray(done), sample);
        for (let u = Math.floor(from / unit); length > 0 && u * unit < from + length; u++) heard[u] = 1;
        found = Math.max(found, length);
      }
    }
    if (done < own.byteLength) wrong.push(`${own.byteLength - done} bytes at ${(ticks / 27e6).toFixed(3)} s are not its own, or not then`);
  }
  for (const { s, list, stretch, heard } of stretches)
    list.forEach((one, u) => {
      if (!heard[u] && belongs(one, stretch, false, false).must)
        wrong.push(`a unit at ${((one.at90k - stretch.from90k) / 90e3).toFixed(3)} s of stretch ${s} did not come`);
    });
  return few(wrong);
}

/** Where, near to a sample, most of a part stands, and how many bytes of it. */
function nearest(whole: Uint8Array, wanted: number, part: Uint8Array, sample: number): [number, number] {
  let best: [number, number] = [0, 0];
  for (let d = 0; d <= NEAR_SAMPLES && best[1] < part.byteLength; d++)
    for (const at of [(wanted + d) * sample, (wanted - d) * sample]) {
      const length = agreeing(whole, at, part, sample);
      if (length > best[1]) best = [at, length];
    }
  return best;
}

/** How many bytes of `part` stand in `whole` at a place, in whole samples. */
function agreeing(whole: Uint8Array, at: number, part: Uint8Array, sample: number): number {
  if (at < 0) return 0;
  let length = 0;
  while (length < part.byteLength && whole[at + length] === part[length]) length++;
  return length - (length % sample);
}

function swapped(bytes: Uint8Array): Uint8Array {
  const other = bytes.slice();
  for (let i = 0; i + 1 < other.byteLength; i += 2) [other[i], other[i + 1]] = [other[i + 1] as number, other[i] as number];
  return other;
}
