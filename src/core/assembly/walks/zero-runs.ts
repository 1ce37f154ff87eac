/** Bytes from one look to the next: a run of zeros that is a little longer is found, whatever stands round it. */
const STEP = 8;

/**
 * Finds zeros where a picture can have none. Three zero bytes in a row stand in no unit: only before a start code, which ends them with
 * a one. Whatever else ends them, something was lost there.
 * Spec: ITU-T H.264 7.4.1 and H.265 7.4.2 (emulation prevention), SMPTE 421M annex E.
 */
export class ZeroRuns {
  /** The piece before ended in zeros: what follows decides. */
  private isOpen = false;

  /** Another stretch of the stream begins. */
  restart(): void {
    this.isOpen = false;
  }

  /**
   * Looks at the next piece of the stream.
   * @param starts a picture begins with it: zeros before it were the last one's own.
   * @returns where zeros stand in `data[from..to)` that can not be there; minus one for none. What the last piece ended in is told at `from`.
   */
  find(data: Uint8Array, from: number, to: number, starts: boolean): number {
    let at = from;
    if (this.isOpen && !starts) {
      while (at < to && data[at] === 0) at++;
      if (at >= to) return -1;
      this.isOpen = false;
      if (data[at] !== 1) return from;
    }
    this.isOpen = false;
    for (; at < to; at += STEP) {
      if (data[at] !== 0 || data[at + 1] !== 0 || data[at + 2] !== 0 || at + 2 >= to) continue;
      let first = at;
      while (first > from && data[first - 1] === 0) first--;
      while (at < to && data[at] === 0) at++;
      this.isOpen = at >= to;
      if (!this.isOpen && data[at] !== 1) return first;
    }
    return -1;
  }
}
