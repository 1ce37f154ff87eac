import { TICKS_PER_PTS } from './clock';

/** What the control sequences of a subpicture unit say. DVD-Video: SP_DCSQT. */
export interface SubpictureInfo {
  /** Shown even while subtitles are off. */
  readonly forced: boolean;
  /** 27 MHz ticks from the unit's time stamp to when it appears, and to when it goes; null where it says nothing of its end. */
  readonly startTicks: number;
  readonly endTicks: number | null;
}

/** Delays count in 1024/90000 s. */
const DELAY_TICKS = 1024 * TICKS_PER_PTS;
/** Bytes of arguments per command; 7 has a length of its own. */
const ARGUMENTS: Readonly<Record<number, number>> = { 0: 0, 1: 0, 2: 0, 3: 2, 4: 2, 5: 6, 6: 4 };
const MAX_SEQUENCES = 512;

/**
 * Reads a whole subpicture unit.
 * @returns null where its tables leave the unit or run in a circle.
 */
export function readSubpicture(unit: Uint8Array): SubpictureInfo | null {
  const u16 = (at: number) => ((unit[at] ?? 0) << 8) | (unit[at + 1] ?? 0);
  let forced = false;
  let startTicks: number | null = null;
  let endTicks: number | null = null;
  let at = u16(2);
  for (let i = 0; i < MAX_SEQUENCES; i++) {
    if (at < 4 || at + 4 > unit.byteLength) return null;
    const delay = u16(at) * DELAY_TICKS;
    const next = u16(at + 2);
    for (let p = at + 4; ;) {
      const command = unit[p++];
      if (command === undefined) return null;
      if (command === 0xff) break;
      if (command <= 1) {
        forced ||= command === 0;
        startTicks ??= delay;
      } else if (command === 2) endTicks ??= delay;
      const length = command === 7 ? u16(p) : ARGUMENTS[command];
      if (length === undefined) return null;
      p += length;
    }
    if (next === at) return { forced, startTicks: startTicks ?? 0, endTicks };
    if (next < at) return null;
    at = next;
  }
  return null;
}

/** The largest unit that its 16-bit length can name. */
export const MAX_SUBPICTURE_BYTES = 0xffff;
