import {
  HEADER_BYTES,
  SAMPLES_PER_GROUP,
  TICKS_PER_SECOND,
  frameTicks,
  lpcmGroupBytes,
  type AudioFrameHeader,
  type AudioHeaderReader,
  type LpcmLayout,
} from '../streams';
import { EsBuffer } from './es-buffer';
import { PacketQueue, TrackAccount } from './packet';
import { Marks, type Mark, type Timeline } from './timeline';

/** Time stamps rounded to 90 kHz, and by encoders to worse, are smoothed up to this; more is content and is kept. */
const SMOOTHED_TICKS = TICKS_PER_SECOND / 2000;
/**
 * LPCM packets point to the access unit that their stamp belongs to, and some authoring tools point beside it, by up to two
 * packets: the stamps then swing in a saw-tooth round the truth. Inside one stretch of the disc's clock samples follow each
 * other whatever the pointer says, so that a deviation below this is believed only once it has stayed on one side for
 * `LEANING_TICKS`.
 */
const POINTER_JITTER_TICKS = TICKS_PER_SECOND / 25;
const LEANING_TICKS = 4 * TICKS_PER_SECOND;
/** LPCM has no frames: it is handed over in runs of this many samples (20 ms at 48 kHz). */
const LPCM_RUN_SAMPLES = 960;

export interface FoundFrame {
  readonly bytes: number;
  readonly ticks: number;
  /** False where decoding can not begin with it; every frame can where this is not said. */
  readonly key?: boolean;
}

/** Finds the next frame of a stream. */
export interface AudioFormat {
  /** @returns the frame at `at`, null where none starts there, `'more'` where more bytes are needed to know. */
  frameAt(data: Uint8Array, at: number, end: number, final: boolean): FoundFrame | null | 'more';
  /** True where a run may end at any sample, so that it can stop where the clock restarts. */
  readonly splits: boolean;
  /** Bytes of the smallest run that can be cut off; 0 where frames are whole. */
  readonly unitBytes: number;
  /** A piece must begin with a frame that is `key`. */
  readonly needsKey?: boolean;
  /** The header of the first frame, for the container. */
  readonly first: AudioFrameHeader | null;
}

/** A codec whose frames carry headers. */
export function framedFormat(read: AudioHeaderReader): AudioFormat {
  let first: AudioFrameHeader | null = null;
  return {
    get first() {
      return first;
    },
    splits: false,
    unitBytes: 0,
    frameAt: (data, at, end) => {
      if (at + HEADER_BYTES > end) return 'more';
      const header = read(data, at, end);
      if (!header) return null;
      first ??= header;
      return { bytes: header.frameBytes, ticks: frameTicks(header) };
    },
  };
}

/** LPCM, cut into runs of whole groups. */
export function lpcmFormat(layout: LpcmLayout): AudioFormat {
  const groupBytes = lpcmGroupBytes(layout);
  const ticksPerGroup = (TICKS_PER_SECOND * SAMPLES_PER_GROUP) / layout.sampleRateHz;
  const runGroups = ((LPCM_RUN_SAMPLES / SAMPLES_PER_GROUP) * layout.sampleRateHz) / 48000;
  return {
    first: null,
    splits: true,
    unitBytes: groupBytes,
    frameAt: (_data, at, end, final) => {
      const groups = Math.min(runGroups, Math.floor((end - at) / groupBytes));
      if (groups === runGroups || (final && groups > 0)) return { bytes: groups * groupBytes, ticks: groups * ticksPerGroup };
      return 'more';
    },
  };
}

/**
 * Cuts an audio stream into frames and places them on the output's clock. A frame follows its predecessor unless the
 * stream's own stamp says otherwise by more than half a millisecond: then the gap is kept and noted, and frames that
 * would overlap the sound before by more than half their length are left out and counted.
 */
export class AudioFramer {
  readonly es = new EsBuffer(1024 * 1024);
  readonly queue = new PacketQueue();
  readonly account = new TrackAccount();
  private readonly marks = new Marks();
  private position = 0;
  private epoch = -1;
  private next: number | null = null;
  /** Since when LPCM stamps have stood on one side of the running time, and the least they deviated by; null while they swing. */
  private leaning: { readonly since: number; leastGap: number } | null = null;
  private endOfTaken = Number.NEGATIVE_INFINITY;
  /** Frames that begin before are left out; set where a piece begins inside a title. */
  private notBefore = Number.NEGATIVE_INFINITY;
  private notFrom = Number.POSITIVE_INFINITY;
  private awaitsKey = true;

  constructor(
    private readonly timeline: Timeline,
    readonly format: AudioFormat,
  ) {}

  /** @param markAt position in the payload from which on the stamp counts (LPCM: the first access unit). */
  append(data: Uint8Array, from: number, to: number, pts90k: number, epoch: number, markAt = 0): void {
    if (pts90k >= 0) this.marks.add({ position: this.es.end + markAt, pts90k, epoch });
    this.account.seenBytes += to - from;
    this.es.append(data, from, to);
  }

  beginPiece(notBefore: number): void {
    this.notBefore = notBefore;
    this.notFrom = Number.POSITIVE_INFINITY;
    this.next = null;
    this.leaning = null;
    this.awaitsKey = true;
  }

  /** The piece ends at `ticks`: what begins later is left out, also of what is already queued. */
  endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) {
      this.account.leave('outside the cut', packet.length);
      this.endOfTaken = packet.ticks;
    }
  }

  /** True once a frame was found that begins at or after `ticks`. */
  hasPassed(ticks: number): boolean {
    return this.next !== null && this.next >= ticks;
  }

  /** Cuts what has come so far. @param final nothing follows: an incomplete frame at the end is left out. */
  process(final: boolean): void {
    const { data, base } = this.es.raw;
    const end = this.es.end - base;
    for (;;) {
      const at = this.position - base;
      const mark = this.marks.peek();
      if (mark && mark.position <= this.position && !this.timeline.isPlaced(mark.epoch)) return;
      const limit = this.epochLimit(mark, end, base);
      const reach = this.format.splits ? limit : end;
      const frame = at < reach ? this.format.frameAt(data, at, reach, final || reach < end) : 'more';
      if (frame === null) {
        this.skipToNextFrame(data, at, end, base, final);
      } else if (frame === 'more') {
        if (reach < end) this.skip(reach + base, 'incomplete');
        else {
          if (final && at < end) this.skip(this.es.end, 'incomplete');
          return;
        }
      } else if (at + frame.bytes > end) {
        if (final) this.skip(this.es.end, 'incomplete');
        return;
      } else if (at + frame.bytes > limit && this.format.frameAt(data, at + frame.bytes, end, false) === null) {
        this.skip(limit + base, 'incomplete'); // cut off where the disc's clock restarts
      } else {
        this.take(frame.bytes, frame.ticks, frame.key ?? true);
      }
    }
  }

  /** Index of the byte at which another epoch begins, or the end of what is there. */
  private epochLimit(mark: Mark | null, end: number, base: number): number {
    if (!mark || this.epoch < 0 || mark.epoch === this.epoch || mark.position <= this.position) return end;
    return Math.min(end, mark.position - base);
  }

  private skip(position: number, reason: 'incomplete' | 'not part of any frame'): void {
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
    if (p + HEADER_BYTES > end && final) p = end;
    this.skip(p + base, 'not part of any frame');
  }

  private take(bytes: number, ticks: number, key: boolean): void {
    const mark = this.marks.takeUpTo(this.position);
    if (mark) {
      const sameClock = this.epoch === mark.epoch;
      this.epoch = mark.epoch;
      // A run of LPCM may begin after the sample that the stamp belongs to; a frame never does.
      const sinceMark = this.format.splits ? ((this.position - mark.position) * ticks) / bytes : 0;
      this.follow(this.timeline.map(mark.epoch, mark.pts90k) + sinceMark, ticks, sameClock);
    }
    const start = this.next;
    const position = this.position;
    this.position += bytes;
    if (start === null) {
      this.account.leave('incomplete', bytes); // no stamp yet: its time can not be known
      return;
    }
    if (start < this.notBefore || start >= this.notFrom) {
      this.account.leave('outside the cut', bytes);
      this.next = start + ticks;
      return;
    }
    if (this.format.needsKey && this.awaitsKey && !key) {
      this.account.leave('incomplete', bytes);
      this.next = start + ticks;
      return;
    }
    this.awaitsKey = false;
    if (this.format.splits && this.endOfTaken - start > SMOOTHED_TICKS) {
      this.dropOverlap(start, bytes, ticks);
      return;
    }
    if (start < this.endOfTaken - ticks / 2) {
      this.account.leave('overlaps the part before', bytes);
      this.account.irregular(start, start - this.endOfTaken);
      this.next = start + ticks;
      return;
    }
    this.next = start + ticks;
    this.endOfTaken = this.next;
    this.queue.push({ position, length: bytes, ticks: start, durationTicks: ticks, orderTicks: start, key, discardable: false });
  }

  /** Samples that were already heard are left out exactly: what follows of the run is cut anew from there. */
  private dropOverlap(start: number, bytes: number, ticks: number): void {
    const groupBytes = this.format.unitBytes;
    const groupTicks = (ticks * groupBytes) / bytes;
    const groups = Math.min(bytes / groupBytes, Math.ceil((this.endOfTaken - start) / groupTicks));
    this.position -= bytes - groups * groupBytes;
    this.next = start + groups * groupTicks;
    this.account.leave('overlaps the part before', groups * groupBytes);
    this.account.irregular(start, -groups * groupTicks);
  }

  private follow(stamped: number, ticks: number, sameClock: boolean): void {
    if (this.next === null) {
      this.next = stamped;
      return;
    }
    const gap = sameClock && this.format.splits ? this.believed(stamped - this.next) : stamped - this.next;
    if (Math.abs(gap) <= SMOOTHED_TICKS) return;
    if (gap > -ticks / 2) this.account.irregular(this.next, gap);
    this.next += gap;
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
