/** Presentation graphics: subtitles of Blu-ray as pictures. Spec: BD-ROM part 3, graphics streams. */
export const PGS = { palette: 0x14, object: 0x15, composition: 0x16, window: 0x17, end: 0x80 } as const;
export const PGS_HEAD_BYTES = 3;

export interface PgsComposition {
  readonly widthPixels: number;
  readonly heightPixels: number;
  /** Pictures shown; none clears the screen. */
  readonly objects: number;
  /** One of them is shown even while subtitles are off. */
  readonly forced: boolean;
  /** The display can begin here without what came before. */
  readonly startsAnew: boolean;
}

/** Length of the segment at `at` with its head; null where its head is not there. */
export function pgsSegmentBytes(data: Uint8Array, at: number, end: number): number | null {
  return at + PGS_HEAD_BYTES > end ? null : PGS_HEAD_BYTES + (((data[at + 1] as number) << 8) | (data[at + 2] as number));
}

/** Reads a composition segment at `at`. @returns null where another kind stands there or it is cut off. */
export function readPgsComposition(data: Uint8Array, at: number, end: number): PgsComposition | null {
  const bytes = pgsSegmentBytes(data, at, end);
  if (data[at] !== PGS.composition || bytes === null || bytes < PGS_HEAD_BYTES + 11 || at + bytes > end) return null;
  const b = (i: number) => data[at + PGS_HEAD_BYTES + i] as number;
  const objects = b(10);
  let forced = false;
  let p = 11;
  for (let i = 0; i < objects && PGS_HEAD_BYTES + p + 8 <= bytes; i++) {
    const flags = b(p + 3);
    if ((flags & 0x40) !== 0) forced = true;
    p += (flags & 0x80) !== 0 ? 16 : 8;
  }
  return { widthPixels: (b(0) << 8) | b(1), heightPixels: (b(2) << 8) | b(3), objects, forced, startsAnew: b(7) >> 6 !== 0 };
}

/**
 * A display set that clears the screen and needs nothing before it.
 * @param composition the segment that the screen was last composed by, with its head; @param windows its window segment; null where it has none.
 */
export function clearingPgsSet(composition: Uint8Array, windows: Uint8Array | null): Uint8Array {
  const head = composition.slice(0, PGS_HEAD_BYTES + 11);
  const number = (((head[PGS_HEAD_BYTES + 5] ?? 0) << 8) | (head[PGS_HEAD_BYTES + 6] ?? 0)) + 1;
  head.set([0, 11], 1);
  // composition_number, composition_state (epoch start), palette_update_flag, palette_id_ref, number_of_composition_objects
  head.set([(number >> 8) & 255, number & 255, 0x80, 0, 0, 0], PGS_HEAD_BYTES + 5);
  return Uint8Array.from([...head, ...(windows ?? []), PGS.end, 0, 0]);
}
