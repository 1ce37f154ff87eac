import type { MatroskaFrame, MatroskaTrack } from '../matroska';
import type { PayloadHash } from '../proof/hash';
import type { AddedSubtitle } from '../reels/model';
import { TICKS_PER_MS } from '../streams';
import type { TrackPromise } from '../proof/promise';

const CODEC = { SubRip: 'S_TEXT/UTF8', WebVTT: 'S_TEXT/WEBVTT', ASS: 'S_TEXT/ASS' } as const;
const encoder = new TextEncoder();

/** Subtitles from a file beside the disc, on their way into the container behind the disc's own tracks. */
export class AddedTrack {
  private next = 0;
  private bytes = 0;
  private packets = 0;
  private readonly cues: readonly { ticks: number; durationTicks: number; data: Uint8Array }[];

  constructor(
    /** Index of the track in the file. */
    private readonly track: number,
    private readonly added: AddedSubtitle,
    private readonly hash: PayloadHash,
    private readonly place: number,
  ) {
    this.cues = added.cues
      .map((cue) => ({
        ticks: Math.round((cue.startMs + added.offsetMs) * TICKS_PER_MS),
        durationTicks: Math.round((cue.endMs - cue.startMs) * TICKS_PER_MS),
        data: encoder.encode(cue.text),
      }))
      .filter((cue) => cue.ticks >= 0)
      .sort((a, b) => a.ticks - b.ticks);
  }

  /** Cues that begin before a moment of the output and were not yet given; none after its end. */
  *until(ticks: number, endTicks = Number.POSITIVE_INFINITY): Generator<MatroskaFrame> {
    for (let cue = this.cues[this.next]; cue && cue.ticks <= ticks && cue.ticks < endTicks; cue = this.cues[++this.next]) {
      this.bytes += cue.data.byteLength;
      this.packets++;
      this.hash.update(cue.data);
      yield { track: this.track, ticks: cue.ticks, durationTicks: cue.durationTicks, key: true, discardable: false, data: cue.data };
    }
  }

  describe(uid: bigint): MatroskaTrack {
    const { added } = this;
    return {
      kind: 'subtitle',
      uid,
      codecId: CODEC[added.format],
      codecPrivate: added.header === '' ? null : encoder.encode(added.header),
      name: added.name,
      language: added.language,
      isDefault: added.isDefault,
      isForced: added.isForced,
      isCommentary: false,
      isHearingImpaired: false,
      isVisuallyImpaired: false,
      isOriginal: false,
      defaultDurationNs: null,
    };
  }

  promise(): TrackPromise {
    const late = this.cues.length - this.next;
    return {
      kind: 'subtitle',
      stream: ADDED_STREAM + this.place,
      codecId: CODEC[this.added.format],
      language: this.added.language,
      packets: this.packets,
      bytes: this.bytes,
      hash: this.hash.digest(),
      lpcm: null,
      left:
        late > 0
          ? [{ reason: 'after the end', bytes: this.cues.slice(this.next).reduce((s, c) => s + c.data.byteLength, 0), frames: late, ms: 0 }]
          : [],
      seenBytes: this.bytes,
      irregularities: 0,
      forcedAtMs: [],
      fromMs: null,
      toMs: null,
    };
  }
}

/** Stream numbers of what no disc brings. */
export const ADDED_STREAM = 0x8000000;
