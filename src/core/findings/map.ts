import { damagedSegments, type LooseStretch, type Reading } from '../reading';
import type { Findings } from './model';

/** A stretch of a lane. Positions are shares of the axis, 0 to 1. */
export interface MapBlock {
  readonly from: number;
  readonly to: number;
  /** Identity of the content: the same number is the same material, wherever it stands. */
  readonly content: number;
  /** Another title shows this material too. */
  readonly shared: boolean;
  readonly segments: readonly string[];
}

export interface MapLane {
  readonly title: number;
  readonly blocks: readonly MapBlock[];
  /** Places where chapters begin. */
  readonly ticks: readonly number[];
  /** Where each part of the title stands, by its place among them. */
  readonly parts: readonly MapStretch[];
}

export interface MapStretch {
  readonly from: number;
  readonly to: number;
}

export interface DiscMap {
  readonly lanes: readonly MapLane[];
  /** Stretches that no title leads to; none on the axis of playing time, where they have no place. */
  readonly loose: readonly { readonly from: number; readonly to: number; readonly stretch: LooseStretch }[];
  /** Length of the axis: bytes on the disc, or milliseconds. */
  readonly axisLength: number;
}

const SECTOR_BYTES = 2048;
/** Titles that only repeat others own nothing: their material is named after those others. */
const MATTER = new Set(['main', 'episode']);
const REPEATING = new Set(['play-all', 'duplicate', 'version', 'decoy']);

/**
 * Lays the titles out over the disc's address space or over playing time, with shared material under one identity.
 * Pure: the interface only draws what comes out.
 */
export function layoutMap(reading: Reading, findings: Findings, axis: 'place' | 'time'): DiscMap {
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  const roles = new Map(findings.titles.map((f) => [f.title, f.role]));
  const damaged = damagedSegments(reading);
  const owners = new Map<string, number>();
  const users = new Map<string, number>();
  // The main title names its material before its other cuts do, and those before what only repeats.
  const claim = (title: number) => {
    const role = roles.get(title) ?? '';
    return MATTER.has(role) ? 0 : REPEATING.has(role) ? 2 : 1;
  };
  const ordered = [...reading.titles].sort((a, b) => claim(a.number) - claim(b.number));
  for (const title of ordered) {
    for (const id of new Set(title.parts.map((p) => p.segment))) {
      if (!owners.has(id)) owners.set(id, title.number);
      users.set(id, (users.get(id) ?? 0) + 1);
    }
  }
  // The disc's matter comes first, so that it has the first hue.
  const rank = (title: number) => (MATTER.has(roles.get(title) ?? '') ? 0 : 1);
  const contents = new Map([...new Set(owners.values())].sort((a, b) => rank(a) - rank(b) || a - b).map((title, i) => [title, i]));
  const used = [...reading.segments.filter((s) => owners.has(s.id)), ...reading.loose];
  const first = Math.min(...used.map((s) => s.discSector));
  const last = Math.max(...used.map((s) => s.discSector + s.lastSector - s.firstSector + 1));
  const longestMs = Math.max(1, ...reading.titles.map((t) => t.durationMs));
  const span = Math.max(1, last - first);
  const lanes = reading.titles.map((title): MapLane => {
    const blocks: (MapBlock & { segments: string[] })[] = [];
    const places: MapStretch[] = [];
    let ms = 0;
    for (const part of title.parts) {
      const segment = segments.get(part.segment);
      if (!segment) {
        places.push({ from: 0, to: 0 });
        continue;
      }
      const place = (segment.discSector - first) / span;
      const from = axis === 'place' ? place : ms / longestMs;
      const counts = part.angle === null || part.angle === 1;
      const to = axis === 'place' ? place + (segment.lastSector - segment.firstSector + 1) / span : (ms + segment.durationMs) / longestMs;
      if (counts) ms += segment.durationMs;
      places.push({ from, to });
      if (axis === 'time' && !counts) continue;
      const content = contents.get(owners.get(part.segment) ?? -1) ?? 0;
      const before = blocks[blocks.length - 1];
      if (
        before &&
        before.content === content &&
        Math.abs(before.to - from) < 1e-9 &&
        damaged.has(part.segment) === damaged.has(before.segments[0] ?? '')
      )
        blocks[blocks.length - 1] = { ...before, to, segments: [...before.segments, part.segment] };
      else blocks.push({ from, to, content, shared: (users.get(part.segment) ?? 0) > 1, segments: [part.segment] });
    }
    return {
      title: title.number,
      blocks,
      ticks: title.chapters.slice(1).map((c) => (axis === 'place' ? (places[c.firstPart]?.from ?? 0) : c.startMs / longestMs)),
      parts: places,
    };
  });
  const loose =
    axis === 'place'
      ? reading.loose.map((stretch) => ({
          from: (stretch.discSector - first) / span,
          to: (stretch.discSector + stretch.lastSector - stretch.firstSector + 1 - first) / span,
          stretch,
        }))
      : [];
  return { lanes, loose, axisLength: axis === 'place' ? span * SECTOR_BYTES : longestMs };
}
