import { TICKS_PER_SECOND } from '../../streams';

/** Two stamps of 90 kHz: what rounding alone can do. */
const EXACT_TICKS = TICKS_PER_SECOND / 45_000;
/** Stamps that agree to the tick behind a jump before it is called a loss: at an end, an encoder may leave anything. */
const MANY = 8;
/** Time stamps rounded by encoders to worse than 90 kHz are smoothed up to this. */
export const SMOOTHED_TICKS = TICKS_PER_SECOND / 2000;
/** A gap longer than this is news whatever the stamps were like before. */
const LONG_TICKS = TICKS_PER_SECOND / 50;

/** LPCM of a Blu-ray comes in packets of a 200th of a second. BD-ROM part 3, LPCM audio. */
const PACKET_TICKS = TICKS_PER_SECOND / 200;

/** Whether a stream is one of samples, whose stamps are those of packets, or of what a pointer in them says; false for one of frames. */
export type Splits = false | 'by packets' | 'by pointers';

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
   * @param splits of samples, not of frames.
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
    if (!this.mayBeLoss(gap, frameTicks, splits)) {
      this.restart(stamp);
      return 0;
    }
    const later = confirm();
    if (later === 'wait') return 'wait';
    return later !== null && Math.abs(later - stamp) <= EXACT_TICKS ? gap : 0;
  }

  private mayBeLoss(gap: number, frameTicks: number, splits: Splits): boolean {
    if (splits === 'by pointers') return gap > SMOOTHED_TICKS && this.exact >= MANY;
    const unit = splits ? PACKET_TICKS : frameTicks;
    const units = Math.round(gap / unit);
    const isWhole = units > 0 && Math.abs(gap - units * unit) <= EXACT_TICKS;
    return this.exact > 0 && isWhole && (splits !== false || gap < Math.max(unit / 2, LONG_TICKS));
  }

  /** Time goes on behind what is missing. */
  pass(jump: Jump): void {
    this.jump = jump;
    this.exact = 0;
  }

  /** What is a loss by now, to be told once. */
  told(): Jump | null {
    const { jump } = this;
    if (!jump || this.exact < MANY) return null;
    this.jump = null;
    return jump;
  }
}
