import type { Chapter, Title } from '../reading';
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
