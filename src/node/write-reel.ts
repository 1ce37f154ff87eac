import type { VideoCounts } from '@/core/assembly';
import type { MatroskaSink } from '@/core/matroska';
import type { Reading } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import type { MasterPromise } from '@/core/proof';
import type { Reel } from '@/core/reels';
import { createPayloadHash, fastCrc32 } from './payload-hash';
import type { OpenedSource } from './open-source';
import { OtherEyePicture } from './other-eye';
import { APPLICATION } from './version';

export interface WriteReelOptions {
  readonly signal: AbortSignal;
  readonly onProgress: (done: number, total: number) => void;
  /** Where a subtitle track goes by itself, by its place; nowhere where nothing is said. */
  readonly openBeside?: (subtitle: number) => Promise<MatroskaSink | null>;
}

/** Assembles a reel and writes it as Matroska for a decoder to look into. @returns what was written, and what the picture's own flags said. */
export async function writeReel(
  opened: OpenedSource,
  reading: Reading,
  reel: Reel,
  sink: MatroskaSink,
  { signal, onProgress, openBeside }: WriteReelOptions,
): Promise<{ promise: MasterPromise; counts: VideoCounts }> {
  const hashes = new TrackHashes(createPayloadHash);
  const stream = await opened.assemble(reading, reel, { signal, tap: hashes.tap });
  try {
    const common = { application: APPLICATION, seed: 'look', createHash: createPayloadHash, crc32: fastCrc32, signal };
    const other = new OtherEyePicture(opened, reading, reel, common);
    const written = await writeMaster(stream, hashes, reading, reel, sink, {
      ...common,
      onProgress,
      openOtherEye: other.open,
      ...(openBeside ? { openBeside } : {}),
    });
    return { promise: other.add(written), counts: stream.videoCounts };
  } finally {
    await stream.close();
  }
}
