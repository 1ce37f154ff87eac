import { damagedSegments, type Reading, type Segment } from '../reading';
import type { Piece } from './model';
import { takenStretches } from './pieces';

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

const SECTOR_BYTES = 2048;
type Kind = 'kept' | 'planned' | 'open' | 'unusable' | 'unexplained';

type Interval = readonly [number, number];

/** What pieces take of each segment, as shares of it that do not overlap. */
function takenBy(reading: Reading, segments: ReadonlyMap<string, Segment>, pieces: readonly Piece[]): Map<string, Interval[]> {
  const taken = new Map<string, Interval[]>();
  for (const piece of pieces) {
    const title = reading.titles.find((t) => t.number === piece.title);
    if (!title) continue;
    for (const { segment, from, to } of takenStretches(title, piece, segments))
      taken.set(segment.id, [...(taken.get(segment.id) ?? []), [from, to]]);
  }
  for (const [id, list] of taken) taken.set(id, joined(list));
  return taken;
}

function joined(list: readonly Interval[]): Interval[] {
  const found: [number, number][] = [];
  for (const [from, to] of [...list].sort((a, b) => a[0] - b[0])) {
    const last = found.at(-1);
    if (last && from <= last[1]) last[1] = Math.max(last[1], to);
    else if (to > from) found.push([from, to]);
  }
  return found;
}
const shareOf = (list: readonly Interval[]) => list.reduce((sum, [from, to]) => sum + to - from, 0);

/** Counts a disc's segments by what has become of them. */
export function coverageOf(reading: Reading, kept: readonly Piece[], planned: readonly Piece[]): Coverage {
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  const keptBy = takenBy(reading, segments, kept);
  const takenAtAll = takenBy(reading, segments, [...kept, ...planned]);
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
  const add = (kind: Kind, ms: number, bytes: number) => {
    for (const sum of [sums[kind], total]) {
      sum.ms += ms;
      sum.bytes += bytes;
    }
  };
  for (const segment of reading.segments) {
    if (!used.has(segment.id)) continue;
    const bytes = (segment.lastSector - segment.firstSector + 1) * SECTOR_BYTES;
    const keptShare = shareOf(keptBy.get(segment.id) ?? []);
    const takenShare = shareOf(takenAtAll.get(segment.id) ?? []);
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
