import { PGS, pgsSegmentBytes, readPgsComposition } from '../streams';
import { EsBuffer } from './es-buffer';
import { PacketQueue, TrackAccount } from './packet';
import { Marks, type Timeline } from './timeline';

/** Nothing in a display set is larger than this together; what is, is not believed. */
const MOST_SET_BYTES = 4 * 1024 * 1024;

/** Forced events whose times are kept. */
const MOST_LISTED = 500;

/**
 * Puts display sets of presentation graphics together: from a composition segment to the end segment after it, at the
 * time of the composition. Spec: BD-ROM part 3, graphics streams; RFC 9559 registry S_HDMV/PGS.
 */
export class PgsFramer {
  readonly es = new EsBuffer(512 * 1024);
  readonly queue = new PacketQueue();
  readonly account = new TrackAccount();
  forcedUnits = 0;
  /** When the first of them are shown, ticks of the output before its lead. */
  readonly forcedTicks: number[] = [];
  private readonly marks = new Marks();
  /** Where reading goes on, and where the set under way began. */
  private position = 0;
  private setStart = -1;
  private setTicks = 0;
  private setForced = false;
  private setStartsAnew = false;
  private notBefore = Number.NEGATIVE_INFINITY;
  private notFrom = Number.POSITIVE_INFINITY;

  /** Of a track with only the forced ones: something of it is on the screen, and must be cleared. */
  private showing = false;
  private setShows = false;
  /** After a missing piece, segments begin where the next stamp stands. */
  private awaitsMark = false;
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

  /** Another clip, in which everything goes on. */
  goOnFrom(notBefore: number): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
  }

  /** Something is missing in the stream before what comes next: a display set reaches over no such place. */
  breakHere(): void {
    this.abandonSet();
    this.account.leave('incomplete', this.es.end - this.position);
    this.position = this.es.end;
    this.marks.takeUpTo(this.es.end - 1);
    this.awaitsMark = true;
    this.quiet = true;
  }

  endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) this.account.leave('outside the cut', packet.length);
  }

  process(final: boolean): void {
    for (;;) {
      if (this.awaitsMark) {
        const to = Math.min(this.marks.peekAfter(this.position - 1)?.position ?? this.es.end, this.es.end);
        this.account.leave('incomplete', to - this.position);
        this.position = to;
        if (!this.marks.peekAfter(this.position - 1)) return;
        this.awaitsMark = false;
      }
      const { data, base } = this.es.raw;
      const end = this.es.end - base;
      const at = this.position - base;
      const bytes = pgsSegmentBytes(data, at, end);
      if (bytes === null || at + bytes > end) break;
      const type = data[at] as number;
      if (type === PGS.composition) {
        const mark = this.marks.peek();
        if (mark && mark.position <= this.position && !this.timeline.isPlaced(mark.epoch)) return;
        this.abandonSet();
        const used = this.marks.takeUpTo(this.position);
        const composition = readPgsComposition(data, at, end);
        if (used && composition) {
          this.setStart = this.position;
          this.setTicks = this.timeline.map(used.epoch, used.pts90k);
          this.setForced = composition.forced;
          this.setStartsAnew = composition.startsAnew;
          this.setShows = composition.objects > 0;
        }
      } else if (type !== PGS.end && type !== PGS.palette && type !== PGS.object && type !== PGS.window) {
        this.skip();
        continue;
      }
      if (this.setStart < 0) this.account.leave('incomplete', bytes);
      this.position += bytes;
      if (type === PGS.end && this.setStart >= 0) this.take();
      else if (this.setStart >= 0 && this.position - this.setStart > MOST_SET_BYTES) this.abandonSet();
    }
    if (final) {
      this.abandonSet();
      if (this.es.end > this.position) this.account.leave('incomplete', this.es.end - this.position);
      this.position = this.es.end;
    }
  }

  /** Lost: goes on where the next stamp says that something begins. */
  private skip(): void {
    this.abandonSet();
    const next = this.marks.peekAfter(this.position)?.position ?? this.es.end;
    this.account.leave('not part of any frame', next - this.position);
    if (!this.quiet) this.account.fault('no frame', this.lastTicks);
    this.position = next;
    this.marks.takeUpTo(next - 1);
  }

  private abandonSet(): void {
    if (this.setStart >= 0) {
      this.account.leave('incomplete', this.position - this.setStart);
      if (!this.quiet) this.account.fault('no frame', this.setTicks);
    }
    this.setStart = -1;
  }

  private take(): void {
    const position = this.setStart;
    const length = this.position - position;
    this.setStart = -1;
    this.quiet = false;
    this.lastTicks = this.setTicks;
    if (this.setTicks < this.notBefore || this.setTicks >= this.notFrom) {
      this.account.leave('outside the cut', length);
      return;
    }
    if (this.onlyForced && !this.setForced) {
      // What clears the screen after a forced one belongs to it; anything else that is shown clears it as well.
      const clears = this.showing && !this.setShows;
      if (this.showing && this.setShows) this.showing = false;
      if (!clears) {
        this.account.leave('not forced', length);
        return;
      }
    }
    this.showing = this.setForced && this.setShows;
    if (this.setForced && this.forcedUnits++ < MOST_LISTED) this.forcedTicks.push(this.setTicks);
    this.queue.push({
      position,
      length,
      ticks: this.setTicks,
      durationTicks: null,
      orderTicks: this.setTicks,
      key: this.setStartsAnew,
      discardable: false,
    });
  }
}
