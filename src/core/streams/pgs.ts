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
  /** Nothing of what came before may be referred to any more. */
  readonly startsEpoch: boolean;
  readonly palette: number;
  /** What it refers to: numbers of objects and of windows. */
  readonly refersTo: readonly { readonly object: number; readonly window: number }[];
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
  const refersTo: { object: number; window: number }[] = [];
  for (let i = 0; i < objects && PGS_HEAD_BYTES + p + 8 <= bytes; i++) {
    const flags = b(p + 3);
    if ((flags & 0x40) !== 0) forced = true;
    refersTo.push({ object: (b(p) << 8) | b(p + 1), window: b(p + 2) });
    p += (flags & 0x80) !== 0 ? 16 : 8;
  }
  const state = b(7) >> 6;
  const size = { widthPixels: (b(0) << 8) | b(1), heightPixels: (b(2) << 8) | b(3) };
  return { ...size, objects, forced, startsAnew: state !== 0, startsEpoch: state === 2, palette: b(9), refersTo };
}

/**
 * What compositions may refer to: palettes, windows and whole objects of the epoch under way. Spec: BD-ROM part 3, epochs of presentation
 * graphics; an object may come in several segments, of which the first and the last say so.
 */
export class PgsEpoch {
  /** False until an epoch begins: what came before it is not known. */
  private isKnown = false;
  private readonly palettes = new Set<number>();
  private readonly windows = new Set<number>();
  private readonly objects = new Set<number>();
  private readonly begun = new Set<number>();

  /** What comes next may refer to what was lost. */
  forget(): void {
    this.isKnown = false;
  }

  begin({ startsEpoch }: PgsComposition): void {
    if (!startsEpoch) return;
    this.isKnown = true;
    for (const set of [this.palettes, this.windows, this.objects, this.begun]) set.clear();
  }

  /** @param at of a whole segment. */
  see(data: Uint8Array, at: number, bytes: number): void {
    const b = (i: number) => (PGS_HEAD_BYTES + i < bytes ? (data[at + PGS_HEAD_BYTES + i] as number) : 0);
    const kind = data[at];
    if (kind === PGS.palette) this.palettes.add(b(0));
    else if (kind === PGS.window) for (let i = 0; i < b(0) && PGS_HEAD_BYTES + 1 + i * 9 < bytes; i++) this.windows.add(b(1 + i * 9));
    else if (kind === PGS.object) {
      const object = (b(0) << 8) | b(1);
      const [isFirst, isLast] = [(b(3) & 0x80) !== 0, (b(3) & 0x40) !== 0];
      if (isFirst) this.begun.add(object);
      if (isLast && this.begun.delete(object)) this.objects.add(object);
    }
  }

  /** A composition has all that it refers to, as far as that can be known. */
  isComplete({ refersTo, palette }: PgsComposition): boolean {
    if (!this.isKnown || refersTo.length === 0) return true;
    return this.palettes.has(palette) && refersTo.every((r) => this.objects.has(r.object) && this.windows.has(r.window));
  }
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
