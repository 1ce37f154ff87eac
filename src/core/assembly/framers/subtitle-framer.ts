import { Marks, type Timeline } from '../timeline';
import { Framer, type Stamp } from './framer';

/** Forced events whose times are kept. */
export const MOST_LISTED = 500;

/** A framer of subtitles that are pictures: their units go over packets, and what is on the screen at a cut stands before it. */
export abstract class SubtitleFramer extends Framer {
  override readonly carriesOver = true;
  protected readonly marks = new Marks();

  /** @param onlyForced leave out what is not shown while subtitles are off. */
  constructor(
    protected readonly timeline: Timeline,
    protected readonly onlyForced = false,
  ) {
    super();
  }

  override receive(data: Uint8Array, from: number, to: number, { pts90k, epoch }: Stamp): void {
    this.append(data, from, to, pts90k, epoch);
  }

  append(data: Uint8Array, from: number, to: number, pts90k: number, epoch: number): void {
    if (pts90k >= 0) this.marks.add({ position: this.es.end, pts90k, epoch });
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }
}
