import { TICKS_PER_SECOND } from '../../streams';

/** Two stamps of 90 kHz: what rounding alone can do. */
const EXACT_TICKS = TICKS_PER_SECOND / 45_000;
/** Stamps that agreed to the tick before what differs is called a loss. */
const MANY = 8;
/** Time stamps rounded by encoders to worse than 90 kHz are smoothed up to this. */
export const SMOOTHED_TICKS = TICKS_PER_SECOND / 2000;
/** A gap longer than this is news whatever the stamps were like before. */
const LONG_TICKS = TICKS_PER_SECOND / 50;

/** A place where something is missing, ticks of the output. */
export interface Jump {
  readonly ticks: number;
  readonly lostTicks: number;
}

/**
 * Tells a loss from jitter: of a stream whose stamps have said to the tick what the running time is, and say so again behind a jump, a
 * packet is missing where it jumps. Of frames, a whole number of them.
 */
export class ExactStamps {
  private exact = 0;
  /** How far all stamps stand beside the running time: over a join, samples that nearly follow each other do. */
  private offset = 0;
  /** A jump behind which too few stamps have agreed yet. */
  private jump: Jump | null = null;

  /** The clock is another: nothing is known of its stamps. */
  restart(offset = 0): void {
    this.exact = 0;
    this.offset = offset;
    this.jump = null;
  }

  /**
   * @param stamp how far one stands behind the running time. @param frameTicks of the frame that it belongs to.
   * @param splits the stream is one of samples, not of frames: its stamps are those of packets, or of what a pointer in them says.
   * @param confirm how far the next stamp does; null where it can not be known, 'wait' where it has not come.
   * @returns ticks that are missing before it; 0 for none, or none that is certain.
   */
  lost(
    stamp: number,
    frameTicks: number,
    splits: false | 'by packets' | 'by pointers',
    confirm: () => number | null | 'wait',
  ): number | 'wait' {
    const gap = stamp - this.offset;
    if (Math.abs(gap) <= EXACT_TICKS) {
      this.exact++;
      return 0;
    }
    const frames = Math.round(gap / frameTicks);
    const isWhole = frames > 0 && Math.abs(gap - frames * frameTicks) <= EXACT_TICKS && gap < Math.max(frameTicks / 2, LONG_TICKS);
    const mayBe = splits ? gap > SMOOTHED_TICKS && this.exact >= (splits === 'by pointers' ? MANY : 1) : isWhole && this.exact > 0;
    if (!mayBe) {
      this.restart(stamp);
      return 0;
    }
    const later = confirm();
    if (later === 'wait') return 'wait';
    return later !== null && Math.abs(later - stamp) <= EXACT_TICKS ? gap : 0;
  }

  /** Time goes on behind what is missing. */
  pass(jump: Jump): void {
    this.jump = jump;
  }

  /** What is a loss by now, to be told once. */
  told(): Jump | null {
    const { jump } = this;
    if (!jump || this.exact < MANY) return null;
    this.jump = null;
    return jump;
  }
}
