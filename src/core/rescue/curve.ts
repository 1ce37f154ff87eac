import type { TakeStep } from './take';

/** Stretches of a disc that its reading curve is made of. */
export const CURVE_PARTS = 200;

/** How one part of a disc was read, over all reads that began in it. */
export interface CurvePart {
  /** Read at the first try, and how long that took. */
  readonly bytes: number;
  readonly ms: number;
  /** Reads that failed. */
  readonly failed: number;
}

/** How fast a disc was read along its address: a zone that has become slow shows before sectors of it are lost. */
export class ReadingCurve {
  private readonly parts: { bytes: number; ms: number; failed: number }[];

  constructor(
    private readonly sizeBytes: number,
    before: readonly CurvePart[] = [],
  ) {
    this.parts = Array.from({ length: CURVE_PARTS }, (_, i) => ({ bytes: 0, ms: 0, failed: 0, ...before[i] }));
  }

  add({ pass, from, bytes, read, ms }: TakeStep): void {
    const part = this.parts[Math.min(CURVE_PARTS - 1, Math.floor((from / Math.max(1, this.sizeBytes)) * CURVE_PARTS))];
    if (!part) return;
    if (!read) part.failed++;
    // Single sectors are slow by themselves: only large reads tell of the disc.
    else if (pass === 'large reads' || pass === 'the other way' || pass === 'what was skipped') {
      part.bytes += bytes;
      part.ms += ms;
    }
  }

  get all(): readonly CurvePart[] {
    return this.parts.map((p) => ({ ...p, ms: Math.round(p.ms) }));
  }
}

/** Bytes a second of each part; null where nothing was read. */
export const curveSpeeds = (parts: readonly CurvePart[]): (number | null)[] =>
  parts.map((p) => (p.bytes > 0 ? Math.round(p.bytes / Math.max(0.001, p.ms / 1000)) : null));

/** A part that is read at less than this share of what its neighbours are has become slow. */
const SLOW_SHARE = 0.5;
/** Of the disc on either side; what three quarters of that are slower than is what the drive can do there, also beside a wide zone that is slow. */
const NEIGHBOURS = CURVE_PARTS / 4;
const USUAL = 0.75;

/**
 * Share of a disc, 0 to 1, that is read at half the speed of what lies around it, or not at the first try: what shows that it ages.
 * Drives read faster towards the edge, so a part is compared with its neighbours only.
 */
export function wornShare(parts: readonly CurvePart[]): number {
  const speeds = curveSpeeds(parts);
  const known = parts.filter((p) => p.bytes > 0 || p.failed > 0).length;
  const worn = parts.filter((part, i) => {
    if (part.failed > 0) return true;
    const around = speeds.slice(Math.max(0, i - NEIGHBOURS), i + NEIGHBOURS + 1).filter((s) => s !== null);
    const usual = [...around].sort((a, b) => a - b)[Math.floor((around.length - 1) * USUAL)];
    const own = speeds[i];
    return own !== null && own !== undefined && usual !== undefined && own < usual * SLOW_SHARE;
  }).length;
  return known === 0 ? 0 : worn / known;
}
