import type { CellSegment, Segment } from '../../reading';
import type { FaultLog, Moment } from '../faults';
import type { Witnesses } from '../../reading/fault';
import { ptsBetween } from '../timeline';

/** What the table of cells says may be off by the rounding of its time code, counted as it should be or in whole seconds. */
const CELL_SLACK_MS = 120;
const CODE_RATIO = 1.001;

export const cellOf = (segment: Segment): CellSegment => {
  if (segment.kind !== 'cell') throw new Error('a DVD is walked by cells');
  return segment;
};

/** The later end of a cell: the table's length may count seconds of 30 pictures where there are 29.97; nothing is cut early. */
export const latestEnd90k = ({ durationMs }: CellSegment, start90k: number): number => start90k + Math.ceil(durationMs * 90 * CODE_RATIO);

/** Compares what came of a cell with what the disc's table says of it. */
export class CellWatch {
  private segment: CellSegment | null = null;
  private epoch = -1;
  private from90k: number | null = null;

  constructor(private readonly around: { readonly faults: FaultLog; readonly witnesses: Witnesses }) {}

  enter(segment: CellSegment): void {
    this.segment = segment;
    this.epoch = -1;
    this.from90k = null;
  }

  /** Nothing of the cell has come so far. */
  get isEmpty(): boolean {
    return this.segment !== null && this.from90k === null;
  }

  begin(epoch: number, pts90k: number): void {
    this.epoch = epoch;
    this.from90k = pts90k;
  }

  /**
   * @param last90k end of the last of it that came; null where nothing did.
   * @param now for a cell of which nothing came.
   * @returns by how much of 90 kHz its end was lost, in its clock; null where nothing was.
   */
  leave(last90k: number | null, isNtsc: boolean, now: Moment): { readonly epoch: number; readonly missing90k: number } | null {
    const { segment, from90k, epoch } = this;
    this.segment = null;
    if (!segment) return null;
    const place = { content: segment.content, firstSector: segment.firstSector, lastSector: segment.lastSector };
    if (from90k === null || last90k === null) {
      this.around.faults.note('short', null, now, place, segment.durationMs);
      return null;
    }
    const ms = ptsBetween(from90k, last90k) / 90;
    const said = isNtsc ? [segment.durationMs, segment.durationMs / CODE_RATIO] : [segment.durationMs];
    const missing = segment.durationMs - ms;
    if (missing <= 0 || said.some((length) => Math.abs(length - ms) <= CELL_SLACK_MS)) {
      this.around.witnesses.cells++;
      return null;
    }
    this.around.faults.note('short', null, { epoch, pts90k: from90k }, place, missing);
    return { epoch, missing90k: Math.round(missing * 90) };
  }
}
