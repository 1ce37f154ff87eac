import type { EncodePlan } from './encode-plan';
import { isOfTracks } from './filters';

/**
 * A long picture is encoded in pieces that stand alone: each begins with a picture that decoding can begin with, refers to no other piece,
 * and is made with the same arguments. Pieces are cut where the source has an entry point; which pictures of the result belong to
 * which piece is decided by their times alone, so that each is in one piece and none is in two.
 */

/** A picture of the source: when it is shown, in milliseconds, and whether decoding can begin with it. */
export interface SourcePicture {
  readonly ms: number;
  readonly key: boolean;
}

/** One piece: with the plan and the source all that whoever makes it needs to know. Times in milliseconds of the source. */
export interface EncodePiece {
  /** From 1. */
  readonly number: number;
  /** Results shown from here on are in it, and before `toMs`; null for the first and the last. */
  readonly fromMs: number | null;
  readonly toMs: number | null;
  /** Where reading begins, early enough for what filters remember and codecs refer to; null for the beginning. */
  readonly seekMs: number | null;
  /** Pictures before this one are not looked at: null for all. */
  readonly warmUpMs: number | null;
  /** Pictures of the result: at the least and at the most. */
  readonly leastFrames: number;
  readonly mostFrames: number;
}

/** Two minutes of the film: what is lost at the most where an encode is stopped. */
export const PIECE_MS = 120_000;
/** What filters look back on is over after this: they begin so much before their piece. */
const WARM_UP_MS = 2000;
/** Film comes back by dropping one frame in five; a piece begins at the beginning of such a five, counted as in the whole. */
const FILM_CYCLE = 5;

/** Why an encode can not be divided; null where it can. */
export function whyWhole({ video }: EncodePlan): 'copied' | 'drawn' | 'two passes' | 'constant' | 'hardware' | 'two tracks' | null {
  if (video.codec === 'copy') return 'copied';
  // What bits go where is decided over the whole of it.
  if (video.rate) return 'two passes';
  // Pictures are counted, not timed.
  if (video.constant) return 'constant';
  // Whether what it makes fits together without a seam, nobody could try here.
  if (video.hardware) return 'hardware';
  // Places of two tracks are not looked for alike.
  if (video.steps.some(isOfTracks)) return 'two tracks';
  // A subtitle that began long before the piece would be missing from it.
  return video.steps.some((s) => s.kind === 'draw' && !s.text) ? 'drawn' : null;
}

/** A picture's time, a quarter of a picture earlier: rounded times are still on the right side of it, and so are fields. */
function justBefore(pictures: readonly SourcePicture[], index: number): number {
  const at = pictures[index]?.ms ?? 0;
  return at - (at - (pictures[index - 1]?.ms ?? at)) / 4;
}

/** Where pieces begin, as indices of pictures: at entry points, the last piece not shorter than half of one. */
function startsOf(pictures: readonly SourcePicture[], step: number, pieceMs: number): number[] {
  const starts = [0];
  const endMs = pictures.at(-1)?.ms ?? 0;
  let lastMs = pictures[0]?.ms ?? 0;
  for (const [index, { ms, key }] of pictures.entries()) {
    if (!key || ms - lastMs < pieceMs) continue;
    const start = Math.ceil(index / step) * step;
    const startMs = pictures[start]?.ms;
    if (startMs === undefined || endMs - startMs < pieceMs / 2) break;
    starts.push(start);
    lastMs = startMs;
  }
  return starts;
}

/** Film of which a part is only said to be spread: pictures stand for two fields and for three, and the cycle of five can not be counted by them. */
function isUneven(pictures: readonly SourcePicture[]): boolean {
  const stands = pictures.slice(1).map(({ ms }, i) => ms - (pictures[i]?.ms ?? ms));
  const usual = [...stands].sort((a, b) => a - b)[Math.floor(stands.length / 2)] ?? 0;
  return stands.filter((s) => Math.abs(s - usual) > usual / 5).length > pictures.length / 50;
}

/** How many pictures a stretch of the source becomes. Of film one in five is dropped; a last half frame of fields may be missing. */
function framesOf(plan: EncodePlan, count: number, isLast: boolean): { leastFrames: number; mostFrames: number } {
  const { framesPerFrame } = plan.video;
  if (framesPerFrame === null) return { leastFrames: Math.floor(count * 0.76), mostFrames: Math.ceil(count * 0.84) + 1 };
  const frames = count * framesPerFrame;
  return { leastFrames: frames - (isLast && framesPerFrame === 2 ? 1 : 0), mostFrames: frames };
}

/**
 * Divides the picture of a copy into pieces.
 * @param pictures of the source in order of display. @param pieceMs about how long each is.
 * @returns one piece where it can not be divided or is not long enough.
 */
export function divideEncode(plan: EncodePlan, pictures: readonly SourcePicture[], pieceMs: number = PIECE_MS): EncodePiece[] {
  const film = plan.video.steps.some((s) => s.kind === 'film');
  const step = film ? FILM_CYCLE : 1;
  const starts = whyWhole(plan) || (film && isUneven(pictures)) ? [0] : startsOf(pictures, step, pieceMs);
  const keys = pictures.flatMap(({ key }, index) => (key ? [index] : []));
  return starts.map((start, i): EncodePiece => {
    const next = starts[i + 1] ?? null;
    const common = {
      number: i + 1,
      toMs: next === null ? null : justBefore(pictures, next),
      ...framesOf(plan, (next ?? pictures.length) - start, next === null),
    };
    if (i === 0) return { ...common, fromMs: null, seekMs: null, warmUpMs: null };
    const beginMs = (pictures[start]?.ms ?? 0) - WARM_UP_MS;
    // Pictures right after an entry point may refer to some before it: so reading begins one entry point earlier than looking does.
    const before = keys.filter((k) => (pictures[k]?.ms ?? 0) <= beginMs);
    const warmUp = Math.ceil((before.at(-1) ?? 0) / step) * step;
    const seek = before.at(-2) ?? 0;
    const fromStart = seek === 0;
    return {
      ...common,
      fromMs: justBefore(pictures, start),
      seekMs: fromStart ? null : (pictures[seek]?.ms ?? 0),
      warmUpMs: fromStart && warmUp === 0 ? null : justBefore(pictures, warmUp),
    };
  });
}
