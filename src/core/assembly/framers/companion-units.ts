import { ANY_CODE, scanningStore, trimmedUnit } from '../../streams';
import { TrackAccount } from '../packet';
import { EsBuffer } from './es-buffer';
import type { UnitCodec } from './unit-codecs';

/** Access units of the second view of a title, found by their time stamps. */
export class CompanionUnits {
  readonly es = new EsBuffer(4 * 1024 * 1024, scanningStore);
  readonly account = new TrackAccount();
  private readonly units = new Map<number, { position: number; length: number }>();
  private start = -1;
  private startPts = -1;
  latest90k = -1;

  constructor(readonly codec: UnitCodec) {}

  append(data: Uint8Array, from: number, to: number, pts90k: number, starts: boolean): void {
    if (starts) {
      this.close();
      this.start = this.es.end;
      this.startPts = pts90k;
      this.latest90k = pts90k;
    }
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }

  /** Something is missing in the unit under way: it is left out, and what still comes of it. */
  lose(): void {
    if (this.start >= 0) this.account.leave('incomplete', this.es.end - this.start);
    this.start = -1;
  }

  close(): void {
    if (this.start < 0 || this.es.end <= this.start) return;
    const length = this.es.end - this.start;
    const facts = this.codec.begin();
    eachUnit(this.es, this.start, this.es.end, (unit) => this.codec.see(unit, facts));
    this.units.set(this.startPts, { position: this.start, length });
    this.start = -1;
  }

  take(pts90k: number): { readonly position: number; readonly length: number } | null {
    const found = this.units.get(pts90k) ?? null;
    this.units.delete(pts90k);
    return found;
  }

  /** Nothing before this time will be asked for any more. */
  forget(): void {
    for (const { length } of this.units.values()) this.account.leave('not part of any frame', length);
    this.units.clear();
    this.es.release(this.es.end);
  }
}

/** Calls back for every unit between two positions, without start code and the zeros before the next. */
export function eachUnit(es: EsBuffer, from: number, to: number, see: (unit: Uint8Array) => boolean): void {
  let start = -1;
  for (let at = es.findUnitCode(from, to, ANY_CODE); at >= 0; at = es.findUnitCode(at + 3, to, ANY_CODE)) {
    if (start >= 0 && !see(trimmedUnit(es.view(start, at - start)))) return;
    start = at + 3;
  }
  if (start >= 0) see(trimmedUnit(es.view(start, to - start)));
}
