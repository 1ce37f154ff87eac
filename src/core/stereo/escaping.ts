/**
 * Emulation prevention (ITU-T H.264 7.4.1): 00 00 00 to 00 00 03 may not stand in a unit, a 03 is put between. The data of a slice stay
 * as they are, with what stands in them already; only where a new head meets them is it looked at anew.
 */

/** Where units are put together. It grows, and is used again for every access unit. */
export class UnitBuffer {
  private room = new Uint8Array(64 * 1024);
  length = 0;

  clear(): void {
    this.length = 0;
  }
  view(from = 0, to = this.length): Uint8Array {
    return this.room.subarray(from, to);
  }
  private reserve(bytes: number): void {
    if (this.length + bytes <= this.room.byteLength) return;
    const larger = new Uint8Array(Math.max(this.room.byteLength * 2, this.length + bytes));
    larger.set(this.room.subarray(0, this.length));
    this.room = larger;
  }

  /** Begins a unit: room for its length, four bytes. @returns where it stands, for `end`. */
  begin(): number {
    this.reserve(4);
    this.length += 4;
    return this.length - 4;
  }
  /** The unit is whole: its length is known (ISO/IEC 14496-15 5.3.4.2.1). */
  end(at: number): void {
    const size = this.length - at - 4;
    this.room.set([size >>> 24, (size >>> 16) & 0xff, (size >>> 8) & 0xff, size & 0xff], at);
  }

  /** Bytes as they are. */
  raw(data: Uint8Array): void {
    this.reserve(data.byteLength);
    this.room.set(data, this.length);
    this.length += data.byteLength;
  }
  /** Bytes without emulation prevention, with it. @param zeros that stand before them. @returns zeros at their end. */
  escape(data: Uint8Array, zeros = 0): number {
    this.reserve(Math.ceil(data.byteLength * 1.5) + 2);
    const { room } = this;
    let to = this.length;
    let run = zeros;
    for (const byte of data) {
      if (run >= 2 && byte <= 3) {
        room[to++] = 3;
        run = 0;
      }
      room[to++] = byte;
      run = byte === 0 ? run + 1 : 0;
    }
    this.length = to;
    return run;
  }
}

/** Where a byte without emulation prevention stands in the unit with it, and how many zeros stand before it there. */
export function escapedOffset(unit: Uint8Array, plainOffset: number): { readonly at: number; readonly zeros: number } {
  let zeros = 0;
  let plain = 0;
  let at = 0;
  for (; at < unit.byteLength && plain < plainOffset; at++) {
    const byte = unit[at] as number;
    if (zeros >= 2 && byte === 3) {
      zeros = 0;
      continue;
    }
    zeros = byte === 0 ? zeros + 1 : 0;
    plain++;
  }
  return { at, zeros };
}

/** The end of a unit's data without what only fills it up: cabac_zero_words (7.3.2.10) and zeros. */
function dataEnd(unit: Uint8Array): number {
  let end = unit.byteLength;
  for (;;) {
    if (end > 0 && unit[end - 1] === 0) end--;
    else if (end > 2 && unit[end - 1] === 3 && unit[end - 2] === 0 && unit[end - 3] === 0) end -= 3;
    else return end;
  }
}

/**
 * Puts the data of a slice behind its new head: the first bytes, up to one that is no zero, are escaped anew; all others stand.
 * @param zeros at the end of the head. @param at where the data begin in the unit, and zeros before them there: see `escapedOffset`.
 */
export function putData(to: UnitBuffer, unit: Uint8Array, { at, zeros: before }: ReturnType<typeof escapedOffset>, zeros: number): void {
  const end = dataEnd(unit);
  let from = at;
  let was = before;
  const seam: number[] = [];
  while (from < end) {
    const byte = unit[from++] as number;
    if (was >= 2 && byte === 3) {
      was = 0;
      continue;
    }
    seam.push(byte);
    was = byte === 0 ? was + 1 : 0;
    if (byte !== 0) break;
  }
  to.escape(Uint8Array.from(seam), zeros);
  if (from < end) to.raw(unit.subarray(from, end));
}
