import type { FaultKind } from '../../reading/fault';
import { HEADER_BYTES, TICKS_PER_MS, TICKS_PER_SECOND, type AudioFrameHeader } from '../../streams';
import type { AudioFormat } from './audio-formats';
import { EsBuffer } from './es-buffer';
import { ExactStamps, SMOOTHED_TICKS } from './exact-stamps';
import { EARLY_TICKS, Framer, MAX_LEAD_TICKS, type PieceBegin, type Stamp, type StretchBegin } from './framer';
import { Marks, type Mark, type Timeline } from '../timeline';

/** A stamp of 90 kHz. */
const STAMP_TICKS = TICKS_PER_SECOND / 90_000;
/**
 * LPCM packets point to the access unit that their stamp belongs to, and some authoring tools point beside it, by up to two
 * packets: the stamps then swing in a saw-tooth round the truth. Inside one stretch of the disc's clock samples follow each
 * other whatever the pointer says, so that a deviation below this is believed only once it has stayed on one side for
 * `LEANING_TICKS`.
 */
const POINTER_JITTER_TICKS = TICKS_PER_SECOND / 25;
const LEANING_TICKS = 4 * TICKS_PER_SECOND;

/** A stamp that differs by more than this from the running time, and from those after it, is wrong; less is jitter. */
const WRONG_STAMP_TICKS = TICKS_PER_SECOND / 50;
/** How far is looked for a stamp that confirms another: a second of any sound. */
const MOST_UNCONFIRMED_BYTES = 512 * 1024;
/** Over a join, samples whose stamps are this near to the running time simply go on. */
const JOIN_JITTER_TICKS = TICKS_PER_SECOND / 200;
/** Less than this without sound at a join or at an end is nothing that anybody misses. */
export const SILENCE_TICKS = TICKS_PER_SECOND / 2;
/** At a join, sound of both sides may stand at the same time for one frame and a little; of frames that last under a millisecond, for as many as one of the others. */
const JOIN_OVERLAP_FRAMES = 1.5;
const JOIN_OVERLAP_TICKS = TICKS_PER_SECOND / 50;

/**
 * Cuts an audio stream into frames and places them on the output's clock. A frame follows its predecessor unless the
 * stream's own stamps say otherwise by more than half a millisecond, and agree on it: then the gap is kept and noted, and frames
 * that would overlap the sound before by more than half their length are left out and counted. One stamp alone is not believed.
 */
export class AudioFramer extends Framer {
  readonly es = new EsBuffer(1024 * 1024);
  private readonly marks = new Marks();
  private position = 0;
  private epoch = -1;
  private next: number | null = null;
  /** Since when LPCM stamps have stood on one side of the running time, and the least they deviated by; null while they swing. */
  private leaning: { readonly since: number; leastGap: number } | null = null;
  /** Frames that begin before are left out; set where a piece begins inside a title. */
  private notBefore = Number.NEGATIVE_INFINITY;
  private notFrom = Number.POSITIVE_INFINITY;
  /** Where the stretch under way will end, where sound is cut there. */
  private cut: { readonly epoch: number; readonly pts90k: number } | null = null;
  /** What begins before is heard only where there is no other sound: a stretch with a clock of its own begins with its picture. */
  private wantedFrom = Number.NEGATIVE_INFINITY;
  private awaitsKey = true;
  /** Places in the stream before which something is missing: no frame reaches over one. */
  private readonly breaks: number[] = [];
  /** After such a place: the next stamp says where sound goes on. */
  private resuming = false;
  /** When the last whole frame before it ended. */
  private brokenAt: number | null = null;
  private awaitsMark = false;
  /** Where the last piece began that begins inside a run of samples. */
  private cutAt = -1;
  /** Nothing of the piece has been taken: it may begin inside a frame. */
  private atBeginning = true;
  private isCut = false;
  /** Something is missing before the beginning of the piece. */
  private headIsHurt = false;
  /** What comes lies behind the end of the piece: only whole frames are looked for in it. */
  private inTail = false;
  private restsAt: number | null = null;
  /** Overlap left out since the clock last changed. */
  private overlapAtJoin = 0;
  private readonly stamps = new ExactStamps();
  /** How long the frame taken last is. */
  private frameTicks = 0;
  /** When the frame taken last begins. */
  private startOfLast = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly timeline: Timeline,
    readonly format: AudioFormat,
  ) {
    super();
  }

  override get firstHeader(): AudioFrameHeader | null {
    return this.format.first;
  }

  override receive(data: Uint8Array, from: number, to: number, { pts90k, epoch, markAt }: Stamp): void {
    this.append(data, from, to, pts90k, epoch, markAt);
  }

  /** @param markAt position in the payload from which on the stamp counts (LPCM: the first access unit). */
  append(data: Uint8Array, from: number, to: number, pts90k: number, epoch: number, markAt = 0): void {
    if (pts90k >= 0 && markAt <= to - from) this.marks.add({ position: this.es.end + markAt, pts90k, epoch });
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }

  override get endOfCome(): number {
    const come = this.next === null ? null : this.ticksUpTo(this.es.end, true);
    return come === null ? this.endOfTaken : Math.max(this.endOfTaken, (this.next ?? 0) + come);
  }

  override get mostOverlap(): number {
    return this.format.splits ? SMOOTHED_TICKS : this.frameTicks / 2;
  }

  /** Something is missing in the stream before what comes next. */
  override breakHere(): void {
    if (this.breaks.at(-1) !== this.es.end && this.es.end > 0) this.breaks.push(this.es.end);
  }

  /** What comes next begins inside a frame of its own: nothing of what came before goes on in it. */
  private cutHere(): void {
    if (this.es.end === 0 && this.format.splits) this.awaitsMark = true;
    this.breakHere();
    if (this.format.splits) this.cutAt = this.es.end;
  }

  /** The disc itself says that there is silence before what comes next: its stamp is followed, and is no news. */
  override restHere(): void {
    this.restsAt = this.es.end;
  }

  override beginPiece({ notBefore, midFrame }: Pick<PieceBegin, 'notBefore' | 'midFrame'>): void {
    if (midFrame) this.cutHere();
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.next = null;
    this.leaning = null;
    this.awaitsKey = true;
    this.atBeginning = true;
    this.isCut = midFrame;
    this.inTail = false;
    this.headIsHurt = false;
    this.restsAt = null;
  }

  override lostHead(): void {
    this.headIsHurt = true;
  }

  override lostTail(ticks: number): void {
    const { next } = this;
    if (next !== null && ticks - next > SMOOTHED_TICKS) this.wrong('gap', next, (ticks - next) / TICKS_PER_MS);
  }

  /** The piece is over; what still comes is looked through for frames that begin before its end. */
  override beginTail(): void {
    this.inTail = true;
  }

  override beginStretch({ goesOn, startTicks, isCut, midFrame, endsSound, epoch, out90k }: StretchBegin): void {
    this.cut = endsSound ? { epoch, pts90k: out90k } : null;
    this.wantedFrom = goesOn ? Number.NEGATIVE_INFINITY : startTicks;
    if (goesOn) {
      if (this.next === null) this.isCut = midFrame;
      this.goOnFrom(startTicks - MAX_LEAD_TICKS);
      return;
    }
    // At a cut a frame belongs to the side that it begins in; stamps of sound and picture are each rounded.
    this.beginPiece({ notBefore: startTicks - (isCut ? STAMP_TICKS : EARLY_TICKS), midFrame: isCut || midFrame });
  }

  /** Another clip, in which the sound of the one before goes on: nothing is cut. @param notBefore earliest time that is believed. */
  goOnFrom(notBefore: number): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.leaning = null;
    this.inTail = false;
  }

  /** The piece ends at `ticks`: what begins later is left out, also of what is already queued. */
  override endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) {
      this.account.leave('outside the cut', packet.length, packet.durationTicks ?? 0);
      this.endOfTaken = packet.ticks;
    }
    const { last } = this.queue;
    if (!this.format.splits || !last || last.ticks + (last.durationTicks ?? 0) <= ticks) return;
    const kept = this.groupsBefore(ticks - last.ticks, last.length, last.durationTicks ?? 0);
    if (kept.bytes >= last.length) return;
    this.account.leave('outside the cut', last.length - kept.bytes, (last.durationTicks ?? 0) - kept.ticks);
    this.queue.replaceLast({ ...last, length: kept.bytes, durationTicks: kept.ticks });
    this.endOfTaken = last.ticks + kept.ticks;
  }

  /** Smallest runs that begin before a time inside a run, as bytes and as time. */
  private groupsBefore(ticks: number, bytes: number, runTicks: number): { bytes: number; ticks: number } {
    const { unitBytes } = this.format;
    const groupTicks = (runTicks * unitBytes) / bytes;
    // A sample that stands at the cut but for rounding belongs behind it.
    const groups = Math.min(bytes / unitBytes, Math.max(0, Math.ceil(ticks / groupTicks - 1e-6)));
    return { bytes: groups * unitBytes, ticks: groups * groupTicks };
  }

  /** True once a frame was found that begins at or after `ticks`. */
  override hasPassed(ticks: number): boolean {
    return this.next !== null && this.next >= ticks;
  }

  /** Cuts what has come so far. @param final nothing follows: an incomplete frame at the end is left out. */
  override process(final: boolean): void {
    const { data, base } = this.es.raw;
    const end = this.es.end - base;
    for (;;) {
      if (!this.passBreak(final)) return;
      const at = this.position - base;
      const due = this.marks.lastUpTo(this.position);
      if (due && !this.timeline.isPlaced(due.epoch)) return;
      const broken = this.breaks[0] === undefined ? end : this.breaks[0] - base;
      const limit = Math.min(broken, this.epochLimit(end, base));
      const reach = this.format.splits ? limit : broken;
      const frame = at < reach ? this.format.frameAt(data, at, reach, final || reach < end) : 'more';
      if (frame === null) {
        this.skipToNextFrame(data, at, reach, base, final || reach < end);
        if (this.position - base === at) return;
      } else if (frame === 'more') {
        if (reach < end) this.skip(reach + base, 'incomplete');
        else {
          if (final && at < end) this.skip(this.es.end, 'incomplete');
          return;
        }
      } else if (at + frame.bytes > broken && broken < end) {
        this.skip(broken + base, 'incomplete');
      } else if (at + frame.bytes > end) {
        if (final) this.skip(this.es.end, 'incomplete');
        return;
      } else if (at + frame.bytes > limit && this.format.frameAt(data, at + frame.bytes, end, false) === null) {
        this.skip(limit + base, 'incomplete'); // cut off where the disc's clock restarts
      } else if (!this.take(frame.bytes, frame.ticks, frame.key ?? true, final)) return;
    }
  }

  /** Goes on behind a place where something is missing. @returns false where what comes there is not known yet. */
  private passBreak(final: boolean): boolean {
    while (this.breaks[0] !== undefined && this.breaks[0] <= this.position) {
      this.breaks.shift();
      if (!this.resuming) this.brokenAt = this.next;
      // Samples whose stamps point beside them can not tell how many are missing.
      if (this.inTail && this.format.splits && !this.format.exactStamps && this.next !== null) this.wrong('gap', this.next);
      this.resuming = true;
      // Runs of samples have no head: only a stamp says where one begins.
      this.awaitsMark = this.format.splits && (this.format.resumesAtPacket !== true || this.cutAt === this.position);
    }
    if (!this.awaitsMark) return true;
    this.marks.takeUpTo(this.position - 1);
    const mark = this.marks.peek();
    if (!mark && !final) return false;
    const to = Math.min(mark?.position ?? this.es.end, this.es.end, this.breaks[0] ?? Number.POSITIVE_INFINITY);
    if (to > this.position) this.skip(to, 'incomplete');
    this.awaitsMark = mark !== null && mark.position > this.position;
    return !this.awaitsMark || this.breaks[0] === this.position;
  }

  /** Index of the byte at which another epoch begins, or the end of what is there. */
  private epochLimit(end: number, base: number): number {
    const mark = this.epoch < 0 ? null : this.marks.peekOther(this.epoch);
    if (!mark || mark.position <= this.position) return end;
    return Math.min(end, mark.position - base);
  }

  /** What is wrong behind the end of a piece, or before its beginning, is wrong with something else. */
  private wrong(kind: FaultKind, atTicks: number, ms: number | null = null): void {
    const { cut, timeline } = this;
    const end = cut && timeline.isPlaced(cut.epoch) ? timeline.map(cut.epoch, cut.pts90k) : this.notFrom;
    const isBefore = atTicks + (ms ?? 0) * TICKS_PER_MS < this.notBefore;
    if (!isBefore && atTicks < Math.min(end, this.notFrom)) this.account.fault(kind, atTicks, ms);
  }

  private skip(position: number, reason: 'incomplete' | 'not part of any frame'): void {
    const atCut = this.atBeginning && this.isCut;
    // Behind a place where something is missing the rest of a frame is no news; nor is it where a piece begins inside one.
    if (!this.resuming && !atCut && !this.inTail && this.breaks[0] !== position) this.wrong('no frame', this.next ?? this.endOfTaken);
    this.account.leave(reason, position - this.position);
    this.position = position;
  }

  /** After lost sync, a frame counts only where another follows it, as far as that can be seen. */
  private skipToNextFrame(data: Uint8Array, at: number, end: number, base: number, final: boolean): void {
    let p = at + 1;
    for (; p + HEADER_BYTES <= end; p++) {
      const frame = this.format.frameAt(data, p, end, final);
      if (frame === null || frame === 'more') continue;
      if (p + frame.bytes > end || this.format.frameAt(data, p + frame.bytes, end, final) !== null) break;
    }
    if (p + HEADER_BYTES > end) {
      if (final) p = end;
      else if (p <= at + 1) return; // too little has come to tell
    }
    this.skip(Math.min(p, end) + base, 'not part of any frame');
  }

  /** @returns false where a stamp has to be confirmed by one that has not come yet. */
  private take(bytes: number, ticks: number, key: boolean, final: boolean): boolean {
    const mark = this.marks.lastUpTo(this.position);
    if (mark) {
      const stamped = this.timeline.map(mark.epoch, mark.pts90k) + this.sinceMark(mark, bytes, ticks);
      const afterRest = this.restsAt !== null && mark.position >= this.restsAt;
      const lost = afterRest || this.resuming ? 0 : this.lostBefore(mark, stamped, ticks, final);
      if (lost === 'wait') return false;
      const verdict = afterRest || lost > 0 ? 'believed' : this.judge(mark, stamped, final);
      if (verdict === 'wait') return false;
      this.marks.takeUpTo(this.position);
      const sameClock = this.epoch === mark.epoch;
      if (!sameClock) this.overlapAtJoin = 0;
      this.epoch = mark.epoch;
      if (verdict === 'wrong') this.wrong('stamp', this.next ?? stamped);
      else if (afterRest) this.next = stamped;
      else if (lost > 0) this.goOnBehind(lost);
      else if (verdict === 'believed') this.follow(stamped, ticks, sameClock);
      if (afterRest) this.restsAt = null;
      this.resuming = false;
    }
    const start = this.next;
    const position = this.position;
    this.position += bytes;
    if (start === null) {
      this.account.leave('incomplete', bytes); // no stamp yet: its time can not be known
      return true;
    }
    if (this.format.splits && start < this.notBefore && start + ticks > this.notBefore) {
      const before = this.groupsBefore(this.notBefore - start, bytes, ticks);
      if (before.bytes > 0) {
        this.position = position + before.bytes;
        this.account.leave('outside the cut', before.bytes, before.ticks);
        this.next = start + before.ticks;
        return true;
      }
    }
    if (start < this.notBefore || start >= this.notFrom) {
      this.account.leave('outside the cut', bytes, ticks);
      this.next = start + ticks;
      return true;
    }
    if (this.format.needsKey && this.awaitsKey && !key) {
      this.account.leave('incomplete', bytes);
      this.next = start + ticks;
      return true;
    }
    this.awaitsKey = false;
    if (this.atBeginning && this.headIsHurt && start - this.notBefore > (this.format.splits ? 0 : ticks) + SMOOTHED_TICKS)
      this.wrong('gap', this.notBefore, (start - this.notBefore) / TICKS_PER_MS);
    this.atBeginning = false;
    // Once samples are known to be heard twice, all of them are; where stamps are exact, they are known.
    const isKnown = this.overlapAtJoin > 0 || this.format.exactStamps;
    if (this.format.splits && this.endOfTaken - start > (isKnown ? SMOOTHED_TICKS : POINTER_JITTER_TICKS)) {
      this.dropOverlap(start, bytes, ticks);
      return true;
    }
    if (!this.format.splits && start < this.endOfTaken - ticks / 2) {
      if (start < this.wantedFrom) {
        this.account.leave('outside the cut', bytes, ticks);
        this.next = start + ticks;
        return true;
      }
      this.account.leave('overlaps the part before', bytes, ticks);
      this.account.irregular(start, start - this.endOfTaken);
      this.countOverlap(start, ticks, ticks);
      this.next = start + ticks;
      return true;
    }
    this.next = start + ticks;
    this.startOfTaken ??= start;
    this.endOfTaken = this.next;
    this.startOfLast = start;
    this.frameTicks = ticks;
    this.queue.push({ position, length: bytes, ticks: start, durationTicks: ticks, orderTicks: start, key, discardable: false });
    return true;
  }

  /** What is left out at a join because both sides bring it has a bound: beyond it, sound is lost. */
  private countOverlap(atTicks: number, ticks: number, frameTicks: number): void {
    const before = this.overlapAtJoin;
    this.overlapAtJoin += ticks;
    const most = this.format.splits ? POINTER_JITTER_TICKS : Math.max(JOIN_OVERLAP_TICKS, frameTicks * JOIN_OVERLAP_FRAMES);
    if (this.overlapAtJoin <= most) return;
    this.wrong('overlap', atTicks, (before > most ? ticks : this.overlapAtJoin) / TICKS_PER_MS);
  }

  /** How much is missing before a stamp, where that is certain. */
  private lostBefore(mark: Mark, stamped: number, frameTicks: number, final: boolean): number | 'wait' {
    const { next } = this;
    if (next === null || this.epoch !== mark.epoch) {
      this.stamps.restart();
      return 0;
    }
    const confirm = () => {
      const confirming = this.marks.peekAfter(this.position);
      if (!confirming) return final || this.es.end - this.position >= MOST_UNCONFIRMED_BYTES ? null : ('wait' as const);
      if (confirming.epoch !== mark.epoch || confirming.position > this.es.end) return null;
      const between = this.ticksUpTo(confirming.position);
      return between === null ? null : this.timeline.map(confirming.epoch, confirming.pts90k) - (next + between);
    };
    const splits = this.format.splits && (this.format.exactStamps ? 'by packets' : 'by pointers');
    const lost = this.stamps.lost(stamped - next, frameTicks, splits, confirm);
    this.tellLoss();
    return lost;
  }

  private tellLoss(): void {
    const told = this.stamps.told();
    if (told) this.wrong('gap', told.ticks, told.lostTicks / TICKS_PER_MS);
  }

  /** Time goes on behind what is missing, which is a loss at once or once enough stamps have agreed behind it. */
  private goOnBehind(lost: number): void {
    const at = this.next ?? 0;
    this.account.irregular(at, lost);
    this.stamps.pass({ ticks: at, lostTicks: lost });
    this.tellLoss();
    this.next = at + lost;
  }

  /** A run of LPCM may begin after the sample that the stamp belongs to; a frame never does. */
  private sinceMark(mark: Mark, bytes: number, ticks: number): number {
    return this.format.splits ? ((this.position - mark.position) * ticks) / bytes : 0;
  }

  /**
   * Whether a stamp is to be followed: where the clock is another, or something was missing, it is all that is known; else
   * one that leads away from the running time has to agree with the next.
   */
  private judge(mark: Mark, stamped: number, final: boolean): 'wait' | 'believed' | 'wrong' | 'ignored' {
    const { next } = this;
    if (next === null || this.epoch !== mark.epoch) return 'believed';
    const gap = stamped - next;
    if (Math.abs(gap) <= SMOOTHED_TICKS || (this.format.splits && Math.abs(gap) < POINTER_JITTER_TICKS)) return 'believed';
    const unbelieved = Math.abs(gap) >= WRONG_STAMP_TICKS ? 'wrong' : 'ignored';
    const confirming = this.marks.peekAfter(this.position);
    if (!confirming) {
      if (this.resuming) return 'believed';
      if (!final && this.es.end - this.position < MOST_UNCONFIRMED_BYTES) return 'wait';
      return unbelieved;
    }
    if (confirming.epoch !== mark.epoch || confirming.position > this.es.end) return this.resuming ? 'believed' : unbelieved;
    const between = this.ticksUpTo(confirming.position);
    if (between === null) return this.resuming ? 'believed' : unbelieved;
    const later = this.timeline.map(confirming.epoch, confirming.pts90k) - (next + between);
    return Math.abs(later - gap) <= Math.max(SMOOTHED_TICKS, WRONG_STAMP_TICKS / 4) ? 'believed' : unbelieved;
  }

  /** How long the frames are that begin before a place further on in the stream; null where they can not be followed so far, unless only those are wanted that can. */
  private ticksUpTo(position: number, wholeOnly = false): number | null {
    const { data, base } = this.es.raw;
    const end = this.es.end - base;
    const stop = position - base;
    let ticks = 0;
    for (let at = this.position - base; at < stop;) {
      const frame = this.format.frameAt(data, at, this.format.splits ? Math.min(end, stop) : end, true);
      if (wholeOnly && (frame === null || frame === 'more' || at + frame.bytes > end)) return ticks;
      if (frame === null || frame === 'more' || frame.bytes <= 0) return null;
      at += frame.bytes;
      ticks += frame.ticks;
    }
    return ticks;
  }

  /** Samples that were already heard are left out exactly: what follows of the run is cut anew from there. */
  private dropOverlap(start: number, bytes: number, ticks: number): void {
    const groupBytes = this.format.unitBytes;
    const groupTicks = (ticks * groupBytes) / bytes;
    const groups = Math.min(bytes / groupBytes, Math.ceil((this.endOfTaken - start) / groupTicks));
    this.position -= bytes - groups * groupBytes;
    this.next = start + groups * groupTicks;
    this.account.leave('overlaps the part before', groups * groupBytes, groups * groupTicks);
    this.account.irregular(start, -groups * groupTicks);
    const early = Math.max(0, Math.min(this.wantedFrom - start, groups * groupTicks));
    this.countOverlap(start, groups * groupTicks - early, ticks);
  }

  private follow(stamped: number, ticks: number, sameClock: boolean): void {
    if (this.next === null) {
      this.next = stamped;
      return;
    }
    const raw = stamped - this.next;
    // Samples that follow each other in the packets do so in time, also over a join, unless stamps are far away from it.
    const gap = !this.format.splits ? raw : sameClock ? this.believed(raw) : Math.abs(raw) <= JOIN_JITTER_TICKS ? 0 : raw;
    // Behind the end of a piece nobody has told of what is missing.
    if (this.inTail && this.resuming && raw > SMOOTHED_TICKS) this.wrong('gap', this.brokenAt ?? this.next, raw / TICKS_PER_MS);
    if (Math.abs(gap) <= SMOOTHED_TICKS) return;
    if (gap > -ticks / 2) this.account.irregular(this.next, gap);
    const least = this.format.splits ? POINTER_JITTER_TICKS : Math.max(ticks / 2, WRONG_STAMP_TICKS);
    if (sameClock && gap >= least) this.wrong('gap', this.next, gap / TICKS_PER_MS);
    if (!sameClock && gap > SILENCE_TICKS) this.wrong('no sound', this.next, gap / TICKS_PER_MS);
    this.next += gap;
    if (!this.format.splits || gap > 0) return;
    // On Blu-ray a stamp is that of its packet's first sample: what is heard twice is known to the sample. On DVD it may point beside it by more
    // than this: no sample goes for that, and time goes back no further than order allows.
    if (!this.format.exactStamps && this.endOfTaken - this.next <= POINTER_JITTER_TICKS) this.next = Math.max(this.next, this.startOfLast);
  }

  /** How much of an LPCM stamp's deviation from the running time is taken for real. */
  private believed(gap: number): number {
    if (Math.abs(gap) >= POINTER_JITTER_TICKS) return gap;
    const now = this.next ?? 0;
    const sameSide = this.leaning !== null && gap * this.leaning.leastGap > 0;
    if (Math.abs(gap) <= SMOOTHED_TICKS) this.leaning = null;
    else if (!this.leaning || !sameSide) this.leaning = { since: now, leastGap: gap };
    else if (Math.abs(gap) < Math.abs(this.leaning.leastGap)) this.leaning.leastGap = gap;
    if (!this.leaning || now - this.leaning.since < LEANING_TICKS) return 0;
    const { leastGap } = this.leaning;
    this.leaning = null;
    return leastGap;
  }
}
