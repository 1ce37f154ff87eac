import { once } from 'node:events';
import { PassThrough } from 'node:stream';
import { DiscError } from '@/core/bytes';
import type { MatroskaSink } from '@/core/matroska';
import { TrackHashes, withOtherEye, writeMaster, type MasterOptions } from '@/core/master';
import type { MasterPromise } from '@/core/proof';
import type { Reading } from '@/core/reading';
import { takenPieces, type OtherEye, type Reel } from '@/core/reels';
import { WorkError } from '@/contract';
import type { OpenedSource } from './open-source';

const BETWEEN_BYTES = 4 * 1024 * 1024;

/** What is written, as it comes: reading and writing wait for each other. */
export function written(write: (sink: MatroskaSink) => Promise<unknown>, signal?: AbortSignal): PassThrough {
  const between = new PassThrough({ highWaterMark: BETWEEN_BYTES });
  const sink: MatroskaSink = {
    write: async (data) => {
      // Whoever reads may go: nothing is waited for then.
      if (between.destroyed) throw new WorkError('encoder-failed', 'Nobody reads what is written');
      if (between.write(data.slice())) return;
      const options = signal ? { signal } : {};
      await Promise.race([once(between, 'drain', options), once(between, 'close', options)]);
    },
    writeAt: null,
  };
  write(sink).then(
    () => between.end(),
    (error: unknown) => between.destroy(error instanceof Error ? error : new Error(String(error))),
  );
  return between;
}

/** The other eye's picture of a reel, from the same source. */
export class OtherEyePicture {
  private promised: MasterPromise | null = null;

  constructor(
    private readonly opened: OpenedSource,
    private readonly reading: Reading,
    private readonly reel: Reel,
    private readonly options: Pick<MasterOptions, 'application' | 'seed' | 'createHash' | 'crc32' | 'signal'>,
  ) {}

  readonly open = (other: OtherEye): AsyncIterable<Uint8Array> => {
    const { opened, reading, reel, options } = this;
    const where = { source: `title ${other.title}`, byteOffset: 0 };
    if (reel.pieces.length > 1) throw new DiscError('unsupported', where, 'Both eyes’ titles can be taken in one piece only');
    const pieces = takenPieces(reel).slice(reel.pieces.length);
    const alone: Reel = { ...reel, pieces, audio: [], subtitles: [], added: [], addedAudio: [], otherEye: null, packed: null };
    return written(async (sink) => {
      const hashes = new TrackHashes(options.createHash);
      const stream = await opened.assemble(reading, alone, { ...(options.signal ? { signal: options.signal } : {}), tap: hashes.tap });
      try {
        this.promised = await writeMaster(stream, hashes, reading, alone, sink, options);
      } finally {
        await stream.close();
      }
    }, options.signal);
  };

  /** What is promised of the result, with what reading this one showed of the disc. */
  readonly add = (promise: MasterPromise): MasterPromise => (this.promised ? withOtherEye(promise, this.promised) : promise);
}
