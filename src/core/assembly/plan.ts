import { DiscError } from '../bytes';
import {
  canBeTaken,
  partsOfAngle,
  stillMs,
  type Chapter,
  type MovedStream,
  type Reading,
  type Segment,
  type Title,
  type TitlePart,
} from '../reading';
import type { Piece } from '../reels/model';
import { pieceChapters, pieceSpan } from '../reels/pieces';

/** A piece resolved to the segments that are read for it. */
export interface PlannedPiece {
  readonly title: Title;
  readonly segments: readonly PlannedSegment[];
  /** True where the piece begins, or ends, where its title does: nothing is cut off there. */
  readonly naturalStart: boolean;
  readonly naturalEnd: boolean;
  /** What follows in the title goes on with its sound in another clip: all that this one's last clip has of it belongs here. */
  readonly goesOnSeamlessly: boolean;
  /** The segment behind it, where its file goes on packet for packet in another: what lies over the border belongs to both. */
  readonly goesOnIn: Segment | null;
  /** The segments before a cut beginning, in order: a subtitle may begin in them that is still shown. The last few; none at a title's own beginning. */
  readonly preceding: readonly Segment[];
  /** Stream of each of the reel's tracks during this piece, video first; null where the title has none that goes on. */
  readonly streams: readonly (number | null)[];
}

export interface PlannedSegment {
  readonly segment: Segment;
  /** Chapter of the title that begins here; null where none does. */
  readonly chapter: number | null;
  /** Clip with the second view; null where there is none. */
  readonly companion: string | null;
  /** Where it begins in the title. */
  readonly titleMs: number;
  /** Sound goes on into it from the segment before without a break. */
  readonly seamless: boolean;
  /** Its file goes on in the packets of the one before. */
  readonly oneClock: boolean;
  readonly moved: readonly MovedStream[] | null;
  /** How long its last picture stands behind it. */
  readonly stillMs: number;
  /** Where in it its chapter begins: cuts fall where decoding can begin, marks a little later. */
  readonly chapterOffsetMs: number;
}

/** How long a segment takes of its title's time, with the still that stands behind a cell. */
const exactMs = (segment: Segment, part: TitlePart) =>
  segment.kind === 'clip' ? (segment.out90k - segment.in90k) / 90 : segment.durationMs + stillMs(part, segment);

const wrong = (detail: string) => new DiscError('unsupported', { source: 'reel', byteOffset: 0 }, detail);

/** A cell may be as short as half a second. */
const MOST_PRECEDING = 16;
/** Angles of one time may have been cut by a picture more or less. */
const ANGLE_SLACK_MS = 100;

/** The part of an angle that a chapter begins with. */
function chapterPart(chapter: Chapter, steps: readonly { readonly index: number }[], startMs: ReadonlyMap<number, number>): number {
  if (startMs.has(chapter.firstPart)) return chapter.firstPart;
  const apart = (index: number) => Math.abs((startMs.get(index) ?? 0) - chapter.startMs);
  const nearest = steps.reduce((best, { index }) => (apart(index) < apart(best) ? index : best), steps[0]?.index ?? 0);
  return apart(nearest) <= ANGLE_SLACK_MS ? nearest : (steps.find(({ index }) => index >= chapter.firstPart)?.index ?? nearest);
}

/**
 * Resolves a piece. Chapters begin at cells, so that cuts fall on cell borders and need no re-encoding.
 * @param around damaged chapters are taken too, with what can be had of them.
 * @throws DiscError `unsupported` where the reading has no such title, chapter or angle, `scrambled` for a protected title.
 */
export function planPiece(reading: Reading, piece: Piece, around = false): PlannedPiece {
  const title = reading.titles.find((t) => t.number === piece.title);
  if (!title) throw wrong(`The disc has no title ${piece.title}`);
  if (title.state === 'scrambled')
    throw new DiscError('scrambled', { source: reading.label, byteOffset: 0 }, `Title ${title.number} is copy protected`);
  if (!canBeTaken(title) && !(around && title.state === 'cut short')) throw wrong(`Title ${title.number} can not be taken: ${title.state}`);
  const { fromChapter, toChapter } = piece;
  if (fromChapter < 1 || toChapter < fromChapter || toChapter > title.chapters.length) {
    throw wrong(`Title ${title.number} has chapters 1 to ${title.chapters.length}, not ${fromChapter} to ${toChapter}`);
  }
  const { fromMs, toMs } = pieceSpan(title, piece);
  if (toMs <= fromMs) throw wrong(`Title ${title.number} has nothing between ${fromMs} and ${toMs} ms`);
  const hurt = pieceChapters(title, piece).find((c) => c.damaged);
  if (hurt && !around) throw wrong(`Chapter ${hurt.number} of title ${title.number} is damaged: take the chapters before or after it`);
  if (piece.angle < 1 || piece.angle > title.angles) throw wrong(`Title ${title.number} has no angle ${piece.angle}`);
  const byId = new Map(reading.segments.map((s) => [s.id, s]));
  const wanted = new Set(partsOfAngle(title, piece.angle));
  const steps = title.parts.map((part, index) => ({ part, index })).filter(({ part }) => wanted.has(part));
  const find = (id: string): Segment => {
    const segment = byId.get(id);
    if (!segment) throw wrong(`The reading does not list segment ${id}`);
    return segment;
  };
  const startMs = new Map<number, number>();
  let ms = 0;
  for (const { part, index } of steps) {
    startMs.set(index, ms);
    ms += exactMs(find(part.segment), part);
  }
  // Chapters are listed by the parts of the first angle; those of another begin at the same times.
  const chapterAt = new Map<number, number>();
  const partOf = new Map<number, number>();
  for (const chapter of title.chapters) {
    const index = chapterPart(chapter, steps, startMs);
    partOf.set(chapter.number, index);
    if (!chapterAt.has(index)) chapterAt.set(index, chapter.number);
  }
  const offsetOf = (index: number) => {
    const chapter = title.chapters.find((c) => c.number === chapterAt.get(index));
    const isClip = find(title.parts[index]?.segment ?? '').kind === 'clip';
    return chapter && isClip ? Math.max(0, chapter.startMs - (startMs.get(index) ?? 0)) : 0;
  };
  const endMs = (step: (typeof steps)[number]) => (startMs.get(step.index) ?? 0) + exactMs(find(step.part.segment), step.part);
  const firstPart = piece.range ? (steps.find((step) => endMs(step) > fromMs)?.index ?? 0) : (partOf.get(fromChapter) ?? 0);
  const endPart = piece.range
    ? (steps.find(({ index }) => (startMs.get(index) ?? 0) >= toMs)?.index ?? title.parts.length)
    : (partOf.get(toChapter + 1) ?? title.parts.length);
  const taken = steps.filter(({ index }) => index >= firstPart && index < endPart);
  const following = steps.find(({ index }) => index >= endPart);
  return {
    title,
    segments: taken.map(({ part, index }) => ({
      segment: find(part.segment),
      chapter: chapterAt.get(index) ?? null,
      companion: part.companion,
      titleMs: startMs.get(index) ?? 0,
      seamless: part.seamless,
      oneClock: part.oneClock ?? false,
      moved: part.moved,
      stillMs: stillMs(part, find(part.segment)),
      chapterOffsetMs: offsetOf(index),
    })),
    naturalStart: taken[0] === steps[0],
    naturalEnd: taken.at(-1) === steps.at(-1),
    goesOnSeamlessly: (following?.part.seamless ?? false) && !following?.part.oneClock,
    goesOnIn: following?.part.oneClock ? find(following.part.segment) : null,
    preceding: steps
      .filter(({ index }) => index < (taken[0]?.index ?? 0))
      .slice(-MOST_PRECEDING)
      .map(({ part }) => find(part.segment)),
    streams: [],
  };
}

/** The next piece goes on in the same title where the one before ends, with a chapter: what stands at the border is no cut. */
function goesOn(before: PlannedPiece, next: PlannedPiece): boolean {
  const last = before.segments.at(-1);
  const first = next.segments[0];
  if (before.title !== next.title || !last || !first || first.chapter === null) return false;
  const { segment, titleMs } = last;
  const endMs = titleMs + (segment.kind === 'clip' ? (segment.out90k - segment.in90k) / 90 : segment.durationMs + last.stillMs);
  return next.preceding.at(-1) === segment && Math.abs(endMs - first.titleMs) < 1;
}

const begin = ({ naturalStart, preceding }: PlannedPiece) => ({ naturalStart, preceding });

/** Pieces that follow each other in their title are one: chapters 1 to 3 and 4 to 6 are 1 to 6, to the last byte. */
export function joinedPieces(pieces: readonly PlannedPiece[]): PlannedPiece[] {
  const joined: PlannedPiece[] = [];
  for (const piece of pieces) {
    const before = joined.at(-1);
    if (before && goesOn(before, piece))
      joined[joined.length - 1] = { ...piece, ...begin(before), segments: [...before.segments, ...piece.segments] };
    else joined.push(piece);
  }
  return joined;
}
