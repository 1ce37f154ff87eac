import type { Reading } from '../reading';
import type { Reel } from './model';
import { pieceMs } from './pieces';

export interface ReelEstimate {
  readonly durationMs: number;
  /** Size of the lossless master. */
  readonly masterBytes: number;
  /** Size of the access copy; it depends on the picture, so this is the rate that quality 20 has usually given. */
  readonly accessBytes: number;
}

/** Share of a DVD's sectors that is not stream: pack and packet heads, navigation packs. */
const OVERHEAD_SHARE = 0.03;
const ACCESS_BITS_PER_PIXEL = 0.11;
const ACCESS_AUDIO_BITS = 160_000;

/** Estimates what a reel will take, from the disc's own tables. */
export function estimateReel(reading: Reading, reel: Reel): ReelEstimate {
  let durationMs = 0;
  let masterBytes = 0;
  let accessBits = 0;
  for (const piece of reel.pieces) {
    const title = reading.titles.find((t) => t.number === piece.title);
    if (!title) continue;
    const ms = pieceMs(title, piece);
    const share = title.durationMs > 0 ? Math.min(1, ms / title.durationMs) : 1;
    const left = title.audio.filter((t) => !reel.audio.some((a) => a.stream === t.stream)).reduce((sum, t) => sum + (t.bitRate ?? 0), 0);
    masterBytes += Math.max(0, title.sizeBytes * share * (1 - OVERHEAD_SHARE) - (left * ms) / 8000);
    const pixelsPerSecond = (title.video.widthPixels * title.video.heightPixels * 27e6) / title.video.frameTicks;
    accessBits += ((pixelsPerSecond * ACCESS_BITS_PER_PIXEL + ACCESS_AUDIO_BITS * Math.max(1, reel.audio.length)) * ms) / 1000;
    durationMs += ms;
  }
  return { durationMs, masterBytes: Math.round(masterBytes), accessBytes: Math.round(accessBits / 8) };
}
