import { isPack, readScr } from './program-stream';

const PACK_BYTES = 2048;
/** Packs of one stretch follow each other by less than this on their own clock. */
export const SCR_STEP_90K = 45_000;
const HALF_CLOCK = 2 ** 32;

/** The clock of 33 bits goes on from one reading to another, over its wrap too. */
const rises = (from: number, to: number) => (to > from ? to - from < HALF_CLOCK : from - to > HALF_CLOCK);

/**
 * Watches the clock that packs of a program stream carry: a pack whose clock does not lie behind that of the one before it, or
 * lies behind that of the next, is not where it belongs (repeated, or from another place).
 * ISO/IEC 13818-1 2.5.2.1: clock references of one stream rise.
 */
export class PackClock {
  /** Clock of the last pack that was in its place; minus one where none stands before. */
  last = -1;
  private next = -1;
  /** The pack before is one for navigation: it takes no room in a decoder, and the next may bear its very time. */
  private behindNavigation = false;

  /** What comes next does not follow what came before. */
  forget(): void {
    this.last = -1;
    this.next = -1;
    this.behindNavigation = false;
  }

  /** What was read ahead of the next pack is no longer there. */
  forgetNext(): void {
    this.next = -1;
  }

  /** A navigation pack stands here. */
  pass(scr: number): void {
    this.last = scr;
    this.next = -1;
    this.behindNavigation = true;
  }

  /** @param end of the data: beyond it the next pack is not known. */
  isOutOfPlace(data: Uint8Array, at: number, end: number): boolean {
    if (!isPack(data, at)) {
      this.next = -1;
      return false;
    }
    const scr = this.next >= 0 ? this.next : readScr(data, at);
    const after = at + PACK_BYTES;
    this.next = after < end && isPack(data, after) ? readScr(data, after) : -1;
    const { last, next } = this;
    if (last >= 0) {
      if (!rises(last, scr) && !(this.behindNavigation && scr === last)) return true;
      if (next < 0 ? scr - last > SCR_STEP_90K : rises(last, next) && !rises(scr, next) && next !== scr) return true;
    }
    this.last = scr;
    this.behindNavigation = false;
    return false;
  }
}
