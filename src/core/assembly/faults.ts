import { FAULT_WEIGHTS, MOST_FAULTS, type Fault, type FaultKind, type Witnesses } from '../reading/fault';
import { TICKS_PER_MS } from '../streams';
import { SECTOR_BYTES } from '../volume';
import type { Timeline } from './timeline';

/** A moment: of a clock of the disc, or of the output before its lead. */
export type Moment = { readonly epoch: number; readonly pts90k: number } | { readonly ticks: number };

export interface FaultPlace {
  readonly content: string;
  readonly firstSector: number;
  readonly lastSector: number;
}

interface Noted {
  readonly kind: FaultKind;
  readonly track: number | null;
  readonly at: Moment;
  readonly place: FaultPlace | null;
  lastSector: number;
  ms: number | null;
  count: number;
  until: number | null;
}

/** Faults of a kind this near to each other are one place. */
const NEAR_SECTORS = 16;
const NEAR_TICKS = 500 * TICKS_PER_MS;

/** Collects what is wrong while a reel is read, joined to places. */
export class FaultLog {
  /** All there were, listed or not. */
  count = 0;
  /** Those of them that are damage. */
  damage = 0;
  private readonly noted: Noted[] = [];
  private readonly latest = new Map<string, Noted>();

  /** @param ms how much of the output it concerns, where that is known. */
  note(kind: FaultKind, track: number | null, at: Moment, place: FaultPlace | null = null, ms: number | null = null): void {
    this.count++;
    if (FAULT_WEIGHTS[kind] === 'damage') this.damage++;
    const key = `${kind} ${track}`;
    const last = this.latest.get(key);
    if (last && this.isNear(last, at, place)) {
      last.count++;
      if (place) last.lastSector = Math.max(last.lastSector, place.lastSector);
      if (ms !== null) last.ms = (last.ms ?? 0) + ms;
      if ('ticks' in at) last.until = at.ticks;
      return;
    }
    const fresh: Noted = {
      kind,
      track,
      at,
      place,
      lastSector: place?.lastSector ?? 0,
      ms,
      count: 1,
      until: 'ticks' in at ? at.ticks : null,
    };
    this.latest.set(key, fresh);
    if (this.noted.length < MOST_FAULTS) this.noted.push(fresh);
  }

  private isNear(last: Noted, at: Moment, place: FaultPlace | null): boolean {
    if (place) return last.place?.content === place.content && Math.abs(place.firstSector - last.lastSector) <= NEAR_SECTORS;
    return last.place === null && 'ticks' in at && last.until !== null && Math.abs(at.ticks - last.until) <= NEAR_TICKS;
  }

  /** @param leadTicks what the output was moved by, so that nothing has a negative time. */
  list(timeline: Timeline | null, leadTicks: number): Fault[] {
    const ticksOf = (at: Moment) => {
      if ('ticks' in at) return at.ticks;
      return timeline?.isPlaced(at.epoch) ? timeline.map(at.epoch, at.pts90k) : 0;
    };
    return this.noted
      .map(({ kind, track, at, ms, place, lastSector, count }) => ({
        kind,
        track,
        atMs: Math.max(0, Math.round((ticksOf(at) + leadTicks) / TICKS_PER_MS)),
        ms: ms === null ? null : Math.round(ms),
        content: place?.content ?? null,
        firstSector: place?.firstSector ?? 0,
        lastSector,
        count,
      }))
      .sort((a, b) => a.atMs - b.atMs);
  }
}

export const noWitnesses = (): Witnesses => ({
  packs: 0,
  navigationPacks: 0,
  cells: 0,
  playItems: 0,
  entryPoints: 0,
  pictures: 0,
  soundFrames: 0,
});

/** Sectors that a run of bytes of a content stands in. */
export const sectorsOf = (content: string, fromByte: number, bytes: number): FaultPlace => ({
  content,
  firstSector: Math.floor(fromByte / SECTOR_BYTES),
  lastSector: Math.floor((fromByte + Math.max(1, bytes) - 1) / SECTOR_BYTES),
});
