import type { DescribedTrack } from '../matroska';
import type { AudioFrameHeader } from '../streams';
import type { Wholeness } from '../reading/fault';
import type { AssembledTrack } from './walks/lanes';
import type { Packet, TrackAccount } from './packet';
import type { PictureDescription } from './picture';
import type { FrameRoom, VideoCounts } from './framers/framer';
import type { AssembledChapter } from './walks/walk';

/** Timed packets of a reel, continuous from zero: what masters, previews and encoders are made from, whatever the source. */
export interface PacketStream {
  readonly tracks: readonly AssembledTrack[];
  /** Bytes to be read in all, and read so far. */
  readonly totalBytes: number;
  readonly readBytes: number;
  /** End of the last frame, after the shift that makes the earliest packet zero. */
  readonly endTicks: number;
  readonly videoCounts: VideoCounts;
  readonly picture: PictureDescription | null;
  outputChapters(): AssembledChapter[];
  account(track: number): TrackAccount;
  /** Null for a plain file, of which only its container says anything. */
  wholeness(): Wholeness | null;
  audioHeader(track: number): AudioFrameHeader | null;
  forcedTicks(track: number): number[];
  /** What a player needs before the first packet of a subtitle track; null for most. */
  subtitleHeader(track: number): Uint8Array | null;
  /** How the source's own container describes a track; null on discs, whose streams describe themselves. */
  described(track: number): DescribedTrack | null;
  fill(): Promise<boolean>;
  /** @param room where a frame may stand that has to be put together; the packet's data may lie in it. */
  take(room?: FrameRoom): Packet | null;
  /** Ends it before its end: whatever is read from is let go. */
  close(): Promise<void>;
}
