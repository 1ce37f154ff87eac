import type { MapStretch } from '../findings';
import { canBeTaken, damagedSegments, type DamageStretch, type Reading, type Segment } from '../reading';
import type { Piece } from './model';
import { joinedStretches, takenStretches } from './pieces';

/** What has become of a disc's material. Each stretch of it counts once, however many titles share it. */
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

/** What a master was made of: its pieces, and the places of the disc that it lacks. */
export interface KeptPieces {
  readonly pieces: readonly Piece[];
  readonly gaps: readonly DamageStretch[];
}

const SECTOR_BYTES = 2048;
type Kind = 'kept' | 'planned' | 'open' | 'unusable' | 'unexplained';

type Taken = ReadonlyMap<string, readonly MapStretch[]>;

/** What pieces take of each segment, by its id. */
function takenBy(reading: Reading, segments: ReadonlyMap<string, Segment>, pieces: readonly Piece[]): Taken {
  const taken = new Map<string, MapStretch[]>();
  for (const piece of pieces) {
    const title = reading.titles.find((t) => t.number === piece.title);
    if (!title) continue;
    for (const stretch of takenStretches(title, piece, segments)) {
      const { id } = stretch.segment;
      taken.set(id, [...(taken.get(id) ?? []), stretch]);
    }
  }
  return taken;
}

/** How much of a segment is taken, as a share of it; what is taken twice counts once. */
const shareOf =
  (all: readonly Taken[]) =>
  (id: string): number =>
    joinedStretches(all.flatMap((taken) => taken.get(id) ?? [])).reduce((sum, { from, to }) => sum + to - from, 0);

/**
 * Counts a disc's segments by what has become of them.
 * @param gapped masters that were made around damage: a segment that one of them lacks a place of is not kept by it.
 */
export function coverageOf(
  reading: Reading,
  kept: readonly Piece[],
  planned: readonly Piece[],
  gapped: readonly KeptPieces[] = [],
): Coverage {
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  const stretches = [
    takenBy(reading, segments, kept),
    ...gapped.map(({ pieces, gaps }) => {
      const lacking = damagedSegments({ segments: reading.segments, damage: gaps });
      return new Map([...takenBy(reading, segments, pieces)].filter(([id]) => !lacking.has(id)));
    }),
  ];
  const keptOf = shareOf(stretches);
  const takenAtAll = shareOf([...stretches, takenBy(reading, segments, planned)]);
  const damaged = damagedSegments(reading);
  const takeable = reading.titles.filter(canBeTaken);
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
  const add = (kind: Kind, ms: number, bytes: number) => {
    for (const sum of [sums[kind], total]) {
      sum.ms += ms;
      sum.bytes += bytes;
    }
  };
  for (const segment of reading.segments) {
    if (!used.has(segment.id)) continue;
    const bytes = (segment.lastSector - segment.firstSector + 1) * SECTOR_BYTES;
    const keptShare = keptOf(segment.id);
    const takenShare = takenAtAll(segment.id);
    // What is left gets the rest, so that rounding loses nothing.
    const [keptMs, keptBytes] = [Math.round(segment.durationMs * keptShare), Math.round(bytes * keptShare)];
    const [takenMs, takenBytes] = [Math.round(segment.durationMs * takenShare), Math.round(bytes * takenShare)];
    add('kept', keptMs, keptBytes);
    add('planned', takenMs - keptMs, takenBytes - keptBytes);
    add(usable.has(segment.id) ? 'open' : 'unusable', segment.durationMs - takenMs, bytes - takenBytes);
  }
  for (const stretch of reading.loose)
    add('unexplained', stretch.durationMs ?? 0, (stretch.lastSector - stretch.firstSector + 1) * SECTOR_BYTES);
  return { ...sums, total };
}
