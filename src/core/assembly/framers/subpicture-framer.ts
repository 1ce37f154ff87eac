import { TICKS_PER_MS, readSubpicture, retimeSubpicture } from '../../streams';
import { partsFrom, type CarriedPart } from './carried-part';
import { EsBuffer } from './es-buffer';
import { EARLY_TICKS, type PieceBegin, type StretchBegin } from './framer';
import { MOST_LISTED, SubtitleFramer } from './subtitle-framer';

/** What is shown shorter than this behind a cut, or before it, is not shown there at all. */
const LEAST_SHOWN_TICKS = 100 * TICKS_PER_MS;

/**
 * Puts subpicture units together from their packets. A unit says its own length, starts in a packet of its own, and
 * has its display times in its control sequences.
 */
export class SubpictureFramer extends SubtitleFramer {
  readonly es = new EsBuffer(256 * 1024);
  private position = 0;
  private notBefore = Number.NEGATIVE_INFINITY;
  private notFrom = Number.POSITIVE_INFINITY;
  /** Where a piece ends that another follows: nothing of it is shown beyond. */
  private lastMoment: { readonly epoch: number; readonly pts90k: number } | null = null;
  /** The rest of a unit may come first, whose beginning stands before the cut or was missing. */
  private quiet = true;
  private lastTicks = 0;

  override beginStretch({ startTicks, isCut }: StretchBegin): void {
    this.beginPiece({ notBefore: isCut ? startTicks : startTicks - EARLY_TICKS });
  }

  override beginPiece({ notBefore }: Pick<PieceBegin, 'notBefore'>): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.lastMoment = null;
    this.quiet = true;
  }

  /** What stands before the cut at which a piece begins. */
  override carryOver(parts: readonly CarriedPart[], cut90k: number, epoch: number): void {
    for (const { data, pts90k } of partsFrom(parts, cut90k, () => true)) this.append(data, 0, data.byteLength, pts90k, epoch);
  }

  /** Another piece follows: the one under way ends about here. */
  override endsAbout(epoch: number, pts90k: number): void {
    this.lastMoment = { epoch, pts90k };
  }

  /** Something is missing in the stream before what comes next: a unit reaches over no such place. */
  override breakHere(): void {
    this.process(false); // what is whole was there before
    const rest = this.es.end - this.position;
    if (rest > 0) {
      const mark = this.marks.peek();
      const isBehind = mark !== null && this.timeline.isPlaced(mark.epoch) && this.timeline.map(mark.epoch, mark.pts90k) >= this.notFrom;
      this.quiet ||= isBehind;
      this.marks.takeUpTo(this.es.end);
      this.leave(rest);
    }
    this.quiet = true;
  }

  override endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) this.account.leave('outside the cut', packet.length);
  }

  override process(final: boolean): void {
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
    const lasts = info.endTicks !== null && info.endTicks > 0 ? info.endTicks : null;
    const from = Math.max(ticks, this.notBefore);
    const to = Math.min(lasts === null ? Number.POSITIVE_INFINITY : ticks + lasts, this.lastTicksShown());
    const isCut = from > ticks || (lasts !== null && to < ticks + lasts);
    if (ticks >= this.notFrom || (isCut && to - from < LEAST_SHOWN_TICKS)) {
      this.account.leave('outside the cut', length);
      return;
    }
    if (this.onlyForced && !info.forced) {
      this.account.leave('not forced', length);
      return;
    }
    if (isCut) {
      retimeSubpicture(this.es.view(position, length), from - ticks, to - from);
      this.account.fault('over the cut', from);
    }
    if (info.forced && this.forcedUnits++ < MOST_LISTED) this.forcedTicks.push(from);
    const durationTicks = lasts === null ? null : to - from;
    this.queue.push({ position, length, ticks: from, durationTicks, orderTicks: from, key: true, discardable: false });
  }

  private lastTicksShown(): number {
    const { lastMoment } = this;
    return lastMoment && this.timeline.isPlaced(lastMoment.epoch)
      ? this.timeline.map(lastMoment.epoch, lastMoment.pts90k)
      : Number.POSITIVE_INFINITY;
  }
}
