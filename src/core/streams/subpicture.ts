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
 * Moves the times of a unit that is shown from later on, or not as long, than its disc says: they count from its stamp, in steps of 11.4 ms.
 * @param skipTicks how much later the unit's stamp now is; @param mostTicks when it ends at the latest, from there. Both 27 MHz.
 * The unit must be one that `readSubpicture` can read.
 */
export function retimeSubpicture(unit: Uint8Array, skipTicks: number, mostTicks: number): void {
  const u16 = (at: number) => ((unit[at] ?? 0) << 8) | (unit[at + 1] ?? 0);
  const [skip, most] = [Math.round(skipTicks / DELAY_TICKS), Math.floor(Math.min(mostTicks / DELAY_TICKS, 0xffff))];
  for (let at = u16(2), i = 0; i < MAX_SEQUENCES; i++) {
    const delay = Math.min(Math.max(0, u16(at) - skip), most);
    unit[at] = delay >> 8;
    unit[at + 1] = delay & 255;
    const next = u16(at + 2);
    if (next <= at) return;
    at = next;
  }
}

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
