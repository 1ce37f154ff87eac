import type { Crc32, MatroskaSink } from '../matroska';
import type { CreateHash } from '../proof/hash';
import type { AddedAudio, OtherEye } from '../reels/model';

export interface MasterOptions {
  readonly application: string;
  /** Identifiers in the file come from this: the same reel of the same disc gives the same file. */
  readonly seed: string;
  readonly createHash: CreateHash;
  readonly crc32?: Crc32;
  readonly onProgress?: (readBytes: number, totalBytes: number) => void;
  /** Opens sound from a file beside the disc as a Matroska stream with that one track. A reel that adds some can not do without. */
  readonly openAdded?: (audio: AddedAudio) => AsyncIterable<Uint8Array>;
  /** Opens the other eye's picture as a Matroska stream with that one track. A reel that has one can not do without. */
  readonly openOtherEye?: (other: OtherEye) => AsyncIterable<Uint8Array>;
  /** Where a subtitle track (by its place in the reel) is written beside the result as well; null for one that is not. */
  readonly openBeside?: (subtitle: number) => Promise<MatroskaSink | null>;
  readonly signal?: AbortSignal;
}
