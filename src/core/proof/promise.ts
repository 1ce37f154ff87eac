import type { LpcmPacking } from '../assembly';
import type { Wholeness } from '../reading';

/** What the makers of a file promise of it: the proof compares the finished file with this, and knows nothing of how it was made. */

/** What of a stream was not taken, for one reason: in how many places, and how long it would have lasted (0 where that is not known). */
export interface Left {
  readonly reason: string;
  readonly bytes: number;
  readonly frames: number;
  readonly ms: number;
}

/** What was promised of one track: the proof compares the finished file with it. */
export interface TrackPromise {
  readonly kind: 'video' | 'audio' | 'subtitle';
  readonly stream: number;
  readonly codecId: string;
  readonly language: string | null;
  readonly packets: number;
  /** Bytes taken from the disc, in the disc's own packing. */
  readonly bytes: number;
  /** Payload hash over those bytes, in order; of H.264 and HEVC over units behind their lengths, without start codes. */
  readonly hash: string;
  /** LPCM is re-packed; this layout turns it back. Null where the bytes are kept as they are. */
  readonly lpcm: LpcmPacking | null;
  readonly left: readonly Left[];
  readonly seenBytes: number;
  readonly irregularities: number;
  /** Subtitles: when events are shown that are forced, milliseconds. */
  readonly forcedAtMs: readonly number[];
  /** First and last moment, milliseconds of the output: when its first and its last packet begin. Null for a track without any. */
  readonly fromMs: number | null;
  readonly toMs: number | null;
}

/** How far apart a track's packets begin on an average, milliseconds; null where that was not noted, or there are not two of them. */
export function packetDistanceMs(track: TrackPromise | undefined): number | null {
  const { fromMs = null, toMs = null, packets = 0 } = track ?? {};
  return fromMs === null || toMs === null || packets < 2 ? null : (toMs - fromMs) / (packets - 1);
}

export interface MasterPromise {
  readonly durationMs: number;
  readonly frames: number;
  readonly interlaced: boolean;
  readonly chapters: readonly { readonly startMs: number; readonly name: string }[];
  readonly tracks: readonly TrackPromise[];
  /** What reading showed of the disc itself; null where only a container says anything. */
  readonly wholeness: Wholeness | null;
  /** The archivist wants what there is, with gaps, where the disc is not whole. */
  readonly around: boolean;
}
