import { scanningStore } from '../../streams';
import { eachUnit, type CompanionUnits } from './companion-units';
import { EsBuffer } from './es-buffer';
import { prefixedFrame } from './prefixed-frame';
import type { HeldPacket, TrackAccount } from '../packet';
import type { PictureDescription } from '../picture';
import { PictureFramer, type FrameRoom, type Stamp, type StretchBegin } from './framer';
import type { Timeline } from '../timeline';
import { H264Codec, type UnitCodec, type UnitFacts } from './unit-codecs';

interface Unit {
  readonly position: number;
  length: number;
  readonly pts90k: number;
  readonly dts90k: number;
  readonly epoch: number;
  readonly facts: UnitFacts;
  companion: { readonly position: number; readonly length: number } | null;
}

/** The stretch of a clip's clock that is wanted, 90 kHz. */
export interface Window {
  readonly in90k: number;
  readonly out90k: number;
  /** It ends where the reel cuts it, not where the disc does. */
  readonly isCut: boolean;
}

const WRAP = 2 ** 33;
const TICKS_PER_PTS = 300;
/** Stamps are rounded to 90 kHz, and times of entry points leave out 9 bits. */
const SNAP_TICKS = 3 * TICKS_PER_PTS;
const BEFORE_90K = 2 ** 9;
/** Rounding of two stamps of 90 kHz. */
const STAMP_SLACK_90K = 4;
/** Pictures of a second view may stand this far behind the first. */
const MOST_WAITING = 400;

const near = (stamp: number, base: number): number => {
  const delta = stamp - base;
  return delta > WRAP / 2 ? stamp - WRAP : delta < -WRAP / 2 ? stamp + WRAP : stamp;
};

/**
 * Cuts H.264, HEVC and VC-1 into frames. On a Blu-ray every access unit begins a PES packet of its own and carries its
 * time stamps, so nothing has to be computed; what is left to do is to keep to the in and out times, to leave out what
 * can not be decoded after a cut, to bring both fields of a frame together, and to put the second view beside the first.
 * Spec: ITU-T H.264 7.4.1.2.4, H.265 7.4.2.4.5; BD-ROM part 3 on PES packets of video.
 */
export class AccessUnitFramer extends PictureFramer {
  readonly es = new EsBuffer(4 * 1024 * 1024, scanningStore);
  override readonly reordersOverCuts = true;
  private start = -1;
  private startPts = -1;
  private startDts = -1;
  private epoch = -1;
  private window: Window = { in90k: 0, out90k: Number.POSITIVE_INFINITY, isCut: false };
  private unpaired: Unit | null = null;
  private needsKey = true;
  /** Time of the picture that decoding began with, while pictures shown before it may still come; null where they are fine. */
  private begunAt: number | null = null;
  private readonly unplaced: Unit[] = [];
  private earliest = Number.POSITIVE_INFINITY;
  private base: { readonly pts90k: number; readonly ticks: number } | null = null;
  private beyond: Unit[] = [];
  private waiting: Unit[] = [];
  /** Decoding time of the last unit; null where none came before in this stretch. */
  private lastDts: number | null = null;
  /** Times of pictures that are decoded and not shown yet, in order; and when the last one was shown. */
  private readonly toShow: number[] = [];
  private lastShown: number | null = null;

  constructor(
    private readonly timeline: Timeline,
    readonly codec: UnitCodec,
    readonly frameTicks: number,
    readonly companion: CompanionUnits | null = null,
  ) {
    super();
  }

  override get size(): readonly [number, number] | null {
    return this.codec.size;
  }

  override describe(): PictureDescription | null {
    const { format } = this.codec;
    if (!format) return null;
    const dependent = this.companion?.codec;
    return {
      ...format,
      mpeg1: false,
      displayAspect: [format.widthPixels * format.sampleAspect[0], format.heightPixels * format.sampleAspect[1]],
      frameTicks: this.frameTicks,
      hdr10: this.codec.hdr10,
      configuration: this.codec.configuration(),
      secondView: dependent instanceof H264Codec ? H264Codec.secondView(dependent) : null,
    };
  }

  override receive(data: Uint8Array, from: number, to: number, { pts90k, dts90k, starts }: Stamp): void {
    this.append(data, from, to, pts90k, dts90k, starts);
  }

  override close(): void {
    super.close();
    this.companion?.es.close();
  }

  override reframed(held: HeldPacket, room: FrameRoom): Uint8Array | null {
    return this.codec.lengthPrefixed ? prefixedFrame(this, held, room) : null;
  }

  override beginStretch({ epoch, in90k, out90k, endsCut }: Pick<StretchBegin, 'epoch' | 'in90k' | 'out90k' | 'endsCut'>): void {
    this.epoch = epoch;
    this.window = { in90k, out90k, isCut: endsCut };
    this.needsKey = true;
    this.begunAt = null;
    this.base = null;
    this.earliest = Number.POSITIVE_INFINITY;
    this.lastDts = null;
    this.lastShown = null;
    this.toShow.length = 0;
  }

  private ticksAt(pts90k: number): number {
    return this.base ? this.ticksOf(pts90k) : this.endTicks;
  }

  /** Decoding times of a stream follow each other by a frame each; where they do not, frames are missing or a stamp is wrong. */
  private lookAtStamps(unit: Unit): void {
    const frame = this.frameTicks / TICKS_PER_PTS;
    if (this.lastDts !== null) {
      const missing = unit.dts90k - this.lastDts - frame;
      if (missing > frame / 2) this.account.fault('gap', this.ticksAt(unit.pts90k), missing / 90);
      else if (Math.abs(missing) > STAMP_SLACK_90K) this.account.fault('stamp', this.ticksAt(unit.pts90k));
    }
    this.lastDts = unit.dts90k;
    let at = this.toShow.length;
    while (at > 0 && (this.toShow[at - 1] as number) > unit.pts90k) at--;
    this.toShow.splice(at, 0, unit.pts90k);
    while (this.toShow.length > 0 && (this.toShow[0] as number) <= unit.dts90k) this.showNext();
  }

  /** Pictures are shown one frame after another: none is missing between, and no two at once. */
  private showNext(): void {
    const pts90k = this.toShow.shift() as number;
    const frame = this.frameTicks / TICKS_PER_PTS;
    const last = this.lastShown;
    this.lastShown = last === null ? pts90k : Math.max(last, pts90k);
    if (last === null) return;
    const apart = pts90k - last - frame;
    if (Math.abs(apart) > frame / 2) this.account.fault('pictures missing', this.ticksAt(pts90k), apart > 0 ? apart / 90 : null);
  }

  append(data: Uint8Array, from: number, to: number, pts90k: number, dts90k: number, starts: boolean): void {
    if (starts) {
      this.closeUnit();
      this.start = this.es.end;
      this.startPts = pts90k;
      this.startDts = dts90k;
    }
    this.account.seenBytes += to - from;
    if (this.start < 0) {
      this.account.leave('incomplete', to - from); // the rest of a unit that began before the cut
      return;
    }
    this.es.append(data, from, to);
  }

  /** The stretch ends: what was held is complete. */
  override finish(): void {
    this.closeUnit();
    this.companion?.close();
    this.pairUp(null);
    // What is shown behind the end may need pictures that were not read.
    while (this.toShow.length > 0 && (this.toShow[0] as number) < this.window.out90k) this.showNext();
    this.placeNow();
    for (const unit of this.beyond.splice(0)) this.leave(unit, 'outside the cut');
    this.release(true);
    this.companion?.forget();
    this.start = -1;
  }

  private closeUnit(): void {
    if (this.start < 0) return;
    const position = this.start;
    const length = this.es.end - position;
    this.start = -1;
    if (length <= 0) return;
    const facts = this.codec.begin();
    eachUnit(this.es, position, this.es.end, (unit) => this.codec.see(unit, facts));
    const { in90k } = this.window;
    const pts90k = this.startPts < 0 ? -1 : near(this.startPts, in90k);
    const unit: Unit = { position, length, pts90k, dts90k: near(this.startDts, in90k), epoch: this.epoch, facts, companion: null };
    if (pts90k < 0 || facts.pictures === 0) {
      if (!this.needsKey && pts90k < this.window.out90k) this.account.fault('no frame', this.endTicks);
      this.leave(unit, 'not part of any frame');
      return;
    }
    this.pairUp(unit);
  }

  private leave(unit: Unit, reason: Parameters<TrackAccount['leave']>[0]): void {
    this.account.leave(reason, unit.length, reason === 'not part of any frame' ? 0 : this.frameTicks);
    if (this.queue.size === 0 && this.waiting.length === 0 && this.unplaced.length === 0) this.es.release(unit.position + unit.length);
  }

  /** Both fields of a frame, where each came as a unit, become one. */
  private pairUp(next: Unit | null): void {
    const first = this.unpaired;
    if (first && next && first.facts.field !== 0 && next.facts.field !== 0) {
      const partner = first.facts.field !== next.facts.field && first.facts.frameNumber === next.facts.frameNumber;
      if (partner && first.position + first.length === next.position) {
        first.length += next.length;
        this.unpaired = null;
        this.accept(first);
        return;
      }
    }
    this.unpaired = next?.facts.field ? next : null;
    if (first) this.accept(first);
    if (next && !next.facts.field) this.accept(next);
  }

  private accept(unit: Unit): void {
    const { facts } = unit;
    if (this.needsKey && !facts.key) {
      this.leave(unit, 'needs pictures before the cut');
      return;
    }
    this.lookAtStamps(unit);
    if (this.needsKey) {
      this.needsKey = false;
      this.begunAt = facts.closed ? null : unit.pts90k;
    } else if (this.begunAt !== null) {
      if (facts.key || unit.dts90k > this.begunAt) this.begunAt = null;
      else if (unit.pts90k < this.begunAt) {
        this.leave(unit, 'needs pictures before the cut');
        return;
      }
    }
    if (unit.pts90k < this.window.in90k - BEFORE_90K && facts.discardable) {
      this.leave(unit, 'outside the cut');
      return;
    }
    if (unit.pts90k >= this.window.out90k) {
      this.beyond.push(unit);
      return;
    }
    // What lies beyond the end but is needed for this picture has to stay.
    for (const needed of this.beyond.splice(0)) {
      if (needed.facts.discardable) this.leave(needed, 'outside the cut');
      else {
        const beyondMs = (needed.pts90k - this.window.out90k) / 90 + this.frameTicks / 27_000;
        if (!this.window.isCut) this.account.fault('beyond the end', this.ticksAt(needed.pts90k), beyondMs);
        this.keep(needed);
      }
    }
    this.keep(unit);
  }

  private keep(unit: Unit): void {
    this.counts.frames++;
    if (!unit.facts.interlaced) this.counts.progressive++;
    if (unit.facts.topFirst) this.counts.topFieldFirst++;
    if (this.base) {
      this.waiting.push(unit);
      this.release(false);
      return;
    }
    this.unplaced.push(unit);
    this.earliest = Math.min(this.earliest, unit.pts90k);
    // No later unit is shown before its own decoding time: the first picture of the stretch is known now.
    if (unit.dts90k >= this.earliest) this.placeNow();
  }

  private placeNow(): void {
    if (this.unplaced.length === 0) {
      if (this.epoch >= 0 && !this.timeline.isPlaced(this.epoch)) this.timeline.placeBase(this.epoch, this.endTicks);
      return;
    }
    this.base = { pts90k: this.earliest, ticks: this.endTicks };
    this.timeline.place(this.epoch, this.earliest, this.endTicks);
    this.waiting.push(...this.unplaced.splice(0));
    this.release(false);
  }

  private ticksOf(pts90k: number): number {
    const { base } = this;
    if (!base) return this.endTicks;
    const exact = (pts90k - base.pts90k) * TICKS_PER_PTS;
    const grid = Math.round(exact / this.frameTicks) * this.frameTicks;
    return base.ticks + (Math.abs(grid - exact) <= SNAP_TICKS ? grid : exact);
  }

  /** Hands on what is complete. @param final nothing more comes of the second view. */
  private release(final: boolean): void {
    let ready = 0;
    for (const unit of this.waiting) {
      if (this.companion) {
        unit.companion = this.companion.take(unit.pts90k);
        if (!unit.companion) {
          if (!final && this.waiting.length < MOST_WAITING) break;
          this.lonelyFrames++;
          this.account.fault('one view', this.ticksOf(unit.pts90k), this.frameTicks / 27_000);
        }
      }
      const ticks = this.ticksOf(unit.pts90k);
      this.queue.push({
        position: unit.position,
        length: unit.length,
        ticks,
        durationTicks: this.frameTicks,
        orderTicks: this.ticksOf(Math.min(unit.dts90k, unit.pts90k)),
        key: unit.facts.key,
        discardable: unit.facts.discardable,
        companion: unit.companion,
      });
      this.endTicks = Math.max(this.endTicks, ticks + this.frameTicks);
      this.counts.totalTicks += this.frameTicks;
      ready++;
    }
    this.waiting = this.waiting.slice(ready);
  }
}
