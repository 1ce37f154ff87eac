import { ENTRY_STEP_90K } from '../../bluray';
import { PGS, PgsEpoch, TICKS_PER_PTS, clearingPgsSet, pgsSegmentBytes, readPgsComposition, type PgsComposition } from '../../streams';
import { partsFrom, type CarriedPart } from './carried-part';
import { EsBuffer } from './es-buffer';
import { EARLY_TICKS, MAX_LEAD_TICKS, type PieceBegin, type StretchBegin } from './framer';
import { MOST_LISTED, SubtitleFramer } from './subtitle-framer';

/** Nothing in a display set is larger than this together; what is, is not believed. */
const MOST_SET_BYTES = 4 * 1024 * 1024;

/** Sets whose times are kept, to know what is on the screen at an end that is found later. */
const MOST_REMEMBERED = 64;

/** What begins so near to the end of a piece is not seen: its cut goes by the time of an entry point. */
const EDGE_TICKS = ENTRY_STEP_90K * TICKS_PER_PTS;

/** A display set: from its composition to its end. */
interface DisplaySet {
  readonly position: number;
  readonly length: number;
  readonly ticks: number;
  readonly forced: boolean;
  readonly shows: boolean;
  readonly startsAnew: boolean;
}

/**
 * Puts display sets of presentation graphics together: from a composition segment to the end segment after it, at the
 * time of the composition. Spec: BD-ROM part 3, graphics streams; RFC 9559 registry S_HDMV/PGS.
 */
export class PgsFramer extends SubtitleFramer {
  readonly es = new EsBuffer(512 * 1024);
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
  /** Sets before the cut: what is on the screen when the piece begins. */
  private standing: DisplaySet[] = [];
  private carriedTo = 0;
  /** Sets handed on, and what the screen was last composed with: known to clear it where a piece ends. */
  private shown: { readonly ticks: number; readonly shows: boolean }[] = [];
  private composed: { readonly composition: Uint8Array; windows: Uint8Array | null } | null = null;
  private clearAt: number | null = null;
  private readonly graphics = new PgsEpoch();
  private composition: PgsComposition | null = null;
  /** Segments that belong to no composition are told once for each place. */
  private strays = false;

  /** Where it may begin inside a display set, what is not whole there is no news. */
  override beginPiece({ notBefore, midFrame = false }: Pick<PieceBegin, 'notBefore'> & Partial<PieceBegin>): void {
    this.clearScreen();
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.quiet = midFrame;
    this.graphics.forget();
  }

  /** What stands before the cut at which a piece begins. */
  override carryOver(parts: readonly CarriedPart[], cut90k: number, epoch: number): void {
    const begins = ({ data }: CarriedPart) => readPgsComposition(data, 0, data.byteLength)?.startsAnew === true;
    for (const { data, pts90k } of partsFrom(parts, cut90k, begins)) this.append(data, 0, data.byteLength, pts90k, epoch);
    this.carriedTo = this.es.end;
  }

  override beginStretch({ goesOn, startTicks, isCut, midFrame }: StretchBegin): void {
    if (goesOn) this.goOnFrom(startTicks - MAX_LEAD_TICKS);
    else this.beginPiece({ notBefore: isCut ? startTicks : startTicks - EARLY_TICKS, midFrame: isCut || midFrame });
  }

  /** Another clip, in which everything goes on. */
  goOnFrom(notBefore: number): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
  }

  /** Something is missing in the stream before what comes next: a display set reaches over no such place. */
  override breakHere(): void {
    this.abandonSet();
    this.account.leave('incomplete', this.es.end - this.position);
    this.position = this.es.end;
    this.marks.takeUpTo(this.es.end - 1);
    this.awaitsMark = true;
    this.quiet = true;
    this.graphics.forget();
  }

  override endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) this.account.leave('outside the cut', packet.length);
    this.shown = this.shown.filter((s) => s.ticks < ticks);
    this.clearAt = this.shown.at(-1)?.shows ? ticks : null;
  }

  /** What is on the screen where a piece ends goes with it: what clears it on the disc stands behind the cut. */
  private clearScreen(): void {
    const { clearAt, composed } = this;
    this.clearAt = null;
    if (clearAt === null || !composed) return;
    const set = clearingPgsSet(composed.composition, composed.windows);
    const position = this.es.end;
    this.append(set, 0, set.byteLength, -1, 0);
    this.position = this.es.end;
    this.emit({ position, length: set.byteLength, ticks: clearAt, forced: true, shows: false, startsAnew: true });
    this.account.fault('over the cut', clearAt);
  }

  override process(final: boolean): void {
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
        const mark = this.marks.lastUpTo(this.position);
        if (mark && !this.timeline.isPlaced(mark.epoch)) return;
        this.abandonSet();
        const used = this.marks.takeUpTo(this.position);
        const composition = readPgsComposition(data, at, end);
        this.strays = false;
        if (used && composition) {
          this.graphics.begin(composition);
          this.composition = composition;
          this.setStart = this.position;
          this.setTicks = this.timeline.map(used.epoch, used.pts90k);
          this.setForced = composition.forced;
          this.setStartsAnew = composition.startsAnew;
          this.setShows = composition.objects > 0;
          this.composed = { composition: data.slice(at, at + bytes), windows: null };
        }
      } else if (type !== PGS.end && type !== PGS.palette && type !== PGS.object && type !== PGS.window) {
        this.skip();
        continue;
      }
      if (type === PGS.window && this.setStart >= 0 && this.composed) this.composed.windows = data.slice(at, at + bytes);
      this.graphics.see(data, at, bytes);
      if (this.setStart < 0) {
        this.account.leave('incomplete', bytes);
        // The end of a set whose composition is lost is still to come: it is one place.
        if (!this.quiet && !this.strays) this.wrong(this.lastTicks);
        this.strays = true;
      }
      this.position += bytes;
      if (type === PGS.end && this.setStart >= 0) this.take();
      else if (this.setStart >= 0 && this.position - this.setStart > MOST_SET_BYTES) this.abandonSet();
    }
    if (this.carriedTo > 0 && this.position >= this.carriedTo) {
      this.carriedTo = 0;
      this.settleStanding();
    }
    if (final) {
      this.settleStanding();
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
    if (!this.quiet) this.wrong(this.lastTicks);
    this.position = next;
    this.marks.takeUpTo(next - 1);
  }

  /** What is wrong behind the end of a piece is wrong with something else. */
  private wrong(ticks: number): void {
    if (ticks < this.notFrom - EDGE_TICKS) this.account.fault('no frame', ticks);
  }

  private abandonSet(): void {
    if (this.setStart >= 0) {
      this.account.leave('incomplete', this.position - this.setStart);
      if (!this.quiet) this.wrong(this.setTicks);
    }
    this.setStart = -1;
  }

  private take(): void {
    const position = this.setStart;
    const length = this.position - position;
    this.setStart = -1;
    this.quiet = false;
    if (this.composition && !this.graphics.isComplete(this.composition)) {
      this.wrong(this.setTicks);
      this.graphics.forget();
    }
    this.lastTicks = this.setTicks;
    const set = { position, length, ticks: this.setTicks, forced: this.setForced, shows: this.setShows, startsAnew: this.setStartsAnew };
    if (set.ticks >= this.notFrom) this.account.leave('outside the cut', length);
    else if (set.ticks < this.notBefore) {
      if (set.startsAnew) this.leaveStanding();
      this.standing.push(set);
    } else {
      this.settleStanding();
      this.emit(set);
    }
  }

  private leaveStanding(): void {
    for (const { length } of this.standing) this.account.leave('outside the cut', length);
    this.standing = [];
  }

  /** What is on the screen at the cut is shown from there on. */
  private settleStanding(): void {
    const last = this.standing.at(-1);
    if (!last) return;
    if (!last.shows || (this.onlyForced && !last.forced)) {
      this.leaveStanding();
      return;
    }
    for (const set of this.standing) this.emit({ ...set, ticks: this.notBefore });
    this.standing = [];
    this.account.fault('over the cut', this.notBefore);
  }

  private emit({ position, length, ticks, forced, shows, startsAnew }: DisplaySet): void {
    if (this.onlyForced && !forced) {
      // What clears the screen after a forced one belongs to it; anything else that is shown clears it as well.
      const clears = this.showing && !shows;
      if (this.showing && shows) this.showing = false;
      if (!clears) {
        this.account.leave('not forced', length);
        return;
      }
    }
    this.showing = forced && shows;
    if (forced && shows && this.forcedUnits++ < MOST_LISTED) this.forcedTicks.push(ticks);
    this.shown = [...this.shown.slice(1 - MOST_REMEMBERED), { ticks, shows }];
    this.queue.push({ position, length, ticks, durationTicks: null, orderTicks: ticks, key: startsAnew, discardable: false });
  }
}
