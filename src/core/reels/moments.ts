import type { Title } from '../reading';
import type { Piece } from './model';
import { pieceMs, pieceSpan } from './pieces';

/** A moment of a title, in milliseconds from its beginning. */
export interface TitleMoment {
  readonly title: number;
  readonly ms: number;
}

/** Pieces with the title and the place in the reel of each; one of a title that is not there takes no time. */
function placed(titles: readonly Title[], pieces: readonly Piece[]): { title: Title; fromMs: number; toMs: number; startMs: number }[] {
  let startMs = 0;
  return pieces.flatMap((piece) => {
    const title = titles.find((t) => t.number === piece.title);
    if (!title) return [];
    const place = { title, ...pieceSpan(title, piece), startMs };
    startMs += pieceMs(title, piece);
    return [place];
  });
}

/**
 * Where a moment of a title stands in a reel, by the tables.
 * @returns milliseconds from the reel's beginning; null where none of its pieces takes that moment. Of several the first.
 */
export function reelMsOf(titles: readonly Title[], pieces: readonly Piece[], moment: TitleMoment): number | null {
  const at = placed(titles, pieces).find((p) => p.title.number === moment.title && moment.ms >= p.fromMs && moment.ms < p.toMs);
  return at ? at.startMs + moment.ms - at.fromMs : null;
}

/** Which moment of which title a reel shows at a time of its own; null past its end. */
export function momentOfReel(titles: readonly Title[], pieces: readonly Piece[], ms: number): TitleMoment | null {
  const at = placed(titles, pieces).find((p) => ms >= p.startMs && ms < p.startMs + p.toMs - p.fromMs);
  return at ? { title: at.title.number, ms: at.fromMs + ms - at.startMs } : null;
}
