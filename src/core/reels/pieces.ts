import type { MapLane, MapStretch } from '../findings';
import { partsOfAngle, type Chapter, type Segment, type Title } from '../reading';
import type { Piece } from './model';

/** What a piece takes of its title's playing time. */
export interface PieceSpan {
  readonly fromMs: number;
  readonly toMs: number;
}

/** Playing time of the title that a piece asks for: its range, or its chapters from end to end. */
export function pieceSpan(title: Title, piece: Piece): PieceSpan {
  if (piece.range) return { fromMs: Math.max(0, piece.range.fromMs), toMs: Math.min(title.durationMs, piece.range.toMs) };
  const first = title.chapters[piece.fromChapter - 1];
  const next = title.chapters[piece.toChapter];
  return { fromMs: first?.startMs ?? 0, toMs: next?.startMs ?? title.durationMs };
}

export const pieceMs = (title: Title, piece: Piece): number => {
  const { fromMs, toMs } = pieceSpan(title, piece);
  return Math.max(0, toMs - fromMs);
};

/**
 * The title of which a reel takes some stretch more than once; null where it takes none twice. Joined by mistake that makes a film that
 * begins again. Angles of one stretch are others.
 */
export function takenTwice(titles: readonly Title[], pieces: readonly Piece[]): number | null {
  for (const [i, piece] of pieces.entries()) {
    const title = titles.find((t) => t.number === piece.title);
    const own = title && pieceSpan(title, piece);
    const again =
      own &&
      pieces.slice(0, i).some((other) => {
        if (other.title !== piece.title || other.angle !== piece.angle) return false;
        const span = pieceSpan(title, other);
        return span.fromMs < own.toMs && own.fromMs < span.toMs;
      });
    if (again) return piece.title;
  }
  return null;
}

/** What a piece takes of a segment: shares of it, 0 to 1, in order of time. */
export interface TakenStretch {
  readonly segment: Segment;
  /** Place of the segment among the parts of the title. */
  readonly part: number;
  readonly from: number;
  readonly to: number;
}

/** Segments that a piece takes, whole or in part. @param segments all of the reading, by id. */
export function takenStretches(title: Title, piece: Piece, segments: ReadonlyMap<string, Segment>): TakenStretch[] {
  const first = title.chapters[piece.fromChapter - 1]?.firstPart ?? 0;
  const end = title.chapters[piece.toChapter]?.firstPart ?? title.parts.length;
  const ofAngle = new Set(partsOfAngle(title, piece.angle));
  const { fromMs, toMs } = pieceSpan(title, piece);
  let at = 0;
  return title.parts.flatMap((part, i): TakenStretch[] => {
    const segment = segments.get(part.segment);
    if (!segment || !ofAngle.has(part)) return [];
    const start = at;
    at += segment.durationMs;
    // Chapters begin where segments do: only a range can take part of one.
    if (!piece.range) return i >= first && i < end ? [{ segment, part: i, from: 0, to: 1 }] : [];
    if (start >= toMs || at <= fromMs || segment.durationMs <= 0) return [];
    const share = (ms: number) => Math.min(1, Math.max(0, (ms - start) / segment.durationMs));
    return [{ segment, part: i, from: share(fromMs), to: share(toMs) }];
  });
}

/** Stretches that should touch may miss each other by this. */
const ROUNDING = 1e-9;

/**
 * Where pieces of a title stand on its lane of the disc map; what touches is one.
 * @param lane places of the title's parts, as `layoutMap` gives them.
 */
export function takenOnLane(
  title: Title,
  pieces: readonly Piece[],
  segments: ReadonlyMap<string, Segment>,
  lane: Pick<MapLane, 'parts'>,
): MapStretch[] {
  const places = pieces.flatMap((piece) =>
    takenStretches(title, piece, segments).flatMap(({ part, from, to }) => {
      const place = lane.parts[part];
      const length = place ? place.to - place.from : 0;
      return place ? [{ from: place.from + length * from, to: place.from + length * to }] : [];
    }),
  );
  return joinedStretches(places);
}

/** Stretches in order, those that touch or overlap as one. */
export function joinedStretches(stretches: readonly MapStretch[]): MapStretch[] {
  const found: { from: number; to: number }[] = [];
  for (const { from, to } of [...stretches].sort((a, b) => a.from - b.from)) {
    const last = found.at(-1);
    if (last && from <= last.to + ROUNDING) last.to = Math.max(last.to, to);
    else found.push({ from, to });
  }
  return found;
}

/** Chapters that a piece touches; one that begins before it is counted with it. */
export function pieceChapters(title: Title, piece: Piece): readonly Chapter[] {
  if (!piece.range) return title.chapters.slice(piece.fromChapter - 1, piece.toChapter);
  const { fromMs, toMs } = pieceSpan(title, piece);
  return title.chapters.filter((c) => c.startMs < toMs && c.startMs + c.durationMs > fromMs);
}

/** Where the chapters of a reel's pieces begin in the output, as far as the tables tell; with the title's own names. */
export function plannedChapters(titles: readonly Title[], pieces: readonly Piece[]): { startMs: number; name: string | null }[] {
  const planned: { startMs: number; name: string | null }[] = [];
  let ms = 0;
  for (const piece of pieces) {
    const title = titles.find((t) => t.number === piece.title);
    if (!title) continue;
    const { fromMs } = pieceSpan(title, piece);
    for (const chapter of pieceChapters(title, piece))
      planned.push({ startMs: ms + Math.max(0, chapter.startMs - fromMs), name: chapter.name });
    ms += pieceMs(title, piece);
  }
  return planned;
}

/** Length of a reel by the tables. */
export const reelMs = (titles: readonly Title[], pieces: readonly Piece[]): number =>
  pieces.reduce((sum, piece) => {
    const title = titles.find((t) => t.number === piece.title);
    return sum + (title ? pieceMs(title, piece) : 0);
  }, 0);
