import { damagedSegments, partsOfAngle, type Reading } from '../reading';
import type { Piece } from './model';

/** What has become of a disc's material. Each segment counts once, however many titles share it. */
export interface Coverage {
  readonly kept: Share;
  readonly planned: Share;
  /** Neither made nor planned so far. */
  readonly open: Share;
  /** Protected, cut short or unreadable. */
  readonly unusable: Share;
  /** On the disc, and no title leads to it. */
  readonly unexplained: Share;
  readonly total: Share;
}
export interface Share {
  readonly ms: number;
  readonly bytes: number;
}

const SECTOR_BYTES = 2048;
type Kind = 'kept' | 'planned' | 'open' | 'unusable' | 'unexplained';

function segmentsOfPiece(reading: Reading, piece: Piece): string[] {
  const title = reading.titles.find((t) => t.number === piece.title);
  if (!title) return [];
  const first = title.chapters[piece.fromChapter - 1]?.firstPart ?? 0;
  const end = title.chapters[piece.toChapter]?.firstPart ?? title.parts.length;
  const wanted = new Set(partsOfAngle(title, piece.angle));
  return title.parts.filter((part, i) => i >= first && i < end && wanted.has(part)).map((p) => p.segment);
}

/** Counts a disc's segments by what has become of them. */
export function coverageOf(reading: Reading, kept: readonly Piece[], planned: readonly Piece[]): Coverage {
  const keptIds = new Set(kept.flatMap((p) => segmentsOfPiece(reading, p)));
  const plannedIds = new Set(planned.flatMap((p) => segmentsOfPiece(reading, p)));
  const damaged = damagedSegments(reading);
  const takeable = reading.titles.filter((t) => t.state === 'usable' || t.state === 'damaged');
  const usable = new Set(takeable.flatMap((t) => t.parts.map((p) => p.segment)).filter((id) => !damaged.has(id)));
  const used = new Set(reading.titles.flatMap((t) => t.parts.map((p) => p.segment)));
  const sums: Record<Kind, { ms: number; bytes: number }> = {
    kept: { ms: 0, bytes: 0 },
    planned: { ms: 0, bytes: 0 },
    open: { ms: 0, bytes: 0 },
    unusable: { ms: 0, bytes: 0 },
    unexplained: { ms: 0, bytes: 0 },
  };
  const total = { ms: 0, bytes: 0 };
  const add = (kind: Kind, ms: number, run: { readonly firstSector: number; readonly lastSector: number }) => {
    const bytes = (run.lastSector - run.firstSector + 1) * SECTOR_BYTES;
    for (const sum of [sums[kind], total]) {
      sum.ms += ms;
      sum.bytes += bytes;
    }
  };
  for (const segment of reading.segments) {
    if (!used.has(segment.id)) continue;
    const kind: Kind = keptIds.has(segment.id)
      ? 'kept'
      : plannedIds.has(segment.id)
        ? 'planned'
        : usable.has(segment.id)
          ? 'open'
          : 'unusable';
    add(kind, segment.durationMs, segment);
  }
  for (const stretch of reading.loose) add('unexplained', stretch.durationMs ?? 0, stretch);
  return { ...sums, total };
}
