import { readSubpicture } from '../streams';
import { EsBuffer } from './es-buffer';
import { PacketQueue, TrackAccount } from './packet';
import { Marks, type Timeline } from './timeline';

/** Forced events whose times are kept. */
const MOST_LISTED = 500;

/**
 * Puts subpicture units together from their packets. A unit says its own length, starts in a packet of its own, and
 * has its display times in its control sequences.
 */
export class SubpictureFramer {
  readonly es = new EsBuffer(256 * 1024);
  readonly queue = new PacketQueue();
  readonly account = new TrackAccount();
  forcedUnits = 0;
  /** When the first of them are shown, ticks of the output before its lead. */
  readonly forcedTicks: number[] = [];
  private readonly marks = new Marks();
  private position = 0;
  private notBefore = Number.NEGATIVE_INFINITY;
  private notFrom = Number.POSITIVE_INFINITY;
  /** The rest of a unit may come first, whose beginning stands before the cut or was missing. */
  private quiet = true;
  private lastTicks = 0;

  /** @param onlyForced leave out what is not shown while subtitles are off. */
  constructor(
    private readonly timeline: Timeline,
    private readonly onlyForced = false,
  ) {}

  append(data: Uint8Array, from: number, to: number, pts90k: number, epoch: number): void {
    if (pts90k >= 0) this.marks.add({ position: this.es.end, pts90k, epoch });
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }

  beginPiece(notBefore: number): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.quiet = true;
  }

  /** Something is missing in the stream before what comes next: a unit reaches over no such place. */
  breakHere(): void {
    const rest = this.es.end - this.position;
    if (rest > 0) {
      this.marks.takeUpTo(this.es.end);
      this.leave(rest);
    }
    this.quiet = true;
  }

  endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) this.account.leave('outside the cut', packet.length);
  }

  process(final: boolean): void {
    for (;;) {
      const available = this.es.end - this.position;
      const mark = this.marks.peek();
      if (available < 4 || (mark && !this.timeline.isPlaced(mark.epoch))) break;
      const head = this.es.view(this.position, 4);
      const length = ((head[0] as number) << 8) | (head[1] as number);
      if (mark && mark.position > this.position) {
        this.leave(mark.position - this.position); // the rest of a unit whose beginning or end is missing
        continue;
      }
      if (!mark) {
        this.leave(available);
        break;
      }
      const nextMark = this.nextMarkPosition();
      if (length < 4) {
        this.marks.takeUpTo(this.position);
        this.leave(1);
        continue;
      }
      if (length > available) {
        if (!final && nextMark === null) break;
        this.marks.takeUpTo(this.position);
        this.leave(Math.min(available, (nextMark ?? this.es.end) - this.position));
        continue;
      }
      this.marks.takeUpTo(this.position);
      this.take(length, this.timeline.map(mark.epoch, mark.pts90k));
    }
    if (final && this.es.end > this.position) this.leave(this.es.end - this.position);
  }

  private nextMarkPosition(): number | null {
    return this.marks.peekAfter(this.position)?.position ?? null;
  }

  private leave(bytes: number): void {
    this.account.leave('incomplete', bytes);
    if (!this.quiet) this.account.fault('no frame', this.lastTicks);
    this.position += bytes;
  }

  private take(length: number, ticks: number): void {
    const position = this.position;
    this.position += length;
    this.quiet = false;
    this.lastTicks = ticks;
    const info = readSubpicture(this.es.view(position, length));
    if (!info) {
      this.account.leave('not part of any frame', length);
      this.account.fault('no frame', ticks);
      return;
    }
    if (ticks < this.notBefore || ticks >= this.notFrom) {
      this.account.leave('outside the cut', length);
      return;
    }
    if (this.onlyForced && !info.forced) {
      this.account.leave('not forced', length);
      return;
    }
    if (info.forced && this.forcedUnits++ < MOST_LISTED) this.forcedTicks.push(ticks);
    const durationTicks = info.endTicks !== null && info.endTicks > 0 ? info.endTicks : null;
    this.queue.push({ position, length, ticks, durationTicks, orderTicks: ticks, key: true, discardable: false });
  }
}
