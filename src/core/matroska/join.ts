import { DiscError, equalBytes, throwIfCancelled } from '../bytes';
import { TICKS_PER_MS } from '../streams';
import type { Crc32 } from './ebml';
import { readMatroskaStream, type DescribedTrack, type StreamBlock } from './stream';
import { MatroskaWriter, type MatroskaSink } from './writer';

/** Pictures of a film are at the least this far apart: times are rounded to a millisecond. */
const ROUNDING_MS = 1;

/** A file with one picture track, as a stream, that stands in a row with others. */
export interface JoinedPiece {
  readonly name: string;
  readonly chunks: AsyncIterable<Uint8Array>;
}

interface JoinOptions {
  readonly application: string;
  /** Nanoseconds: about how long the whole is. */
  readonly durationNs: number;
  readonly crc32?: Crc32;
  /** What is put into a picture that decoding can begin with, where something is. @returns the frame as it is written. */
  readonly intoKeys?: (frame: Uint8Array) => Uint8Array;
  readonly signal?: AbortSignal | undefined;
}

/** What of a track a player decodes by. How long a frame usually is may be guessed differently for a short last piece. */
function requireSame(first: DescribedTrack, found: DescribedTrack, name: string): void {
  if (first.codecId === found.codecId && equalBytes(first.codecPrivate, found.codecPrivate)) return;
  throw new DiscError('bad-structure', { source: name, byteOffset: 0, structure: 'TrackEntry' }, 'A piece was encoded in another way');
}

/**
 * Joins pieces of one picture track into one Matroska stream, frames as they stand and at their own times.
 * @returns how many frames there are. @throws DiscError `bad-structure` where pieces do not fit together: other parameters, times that
 * overlap, a piece that does not begin with a picture that decoding can begin with; and what reading throws.
 */
export async function joinPictures(pieces: readonly JoinedPiece[], sink: MatroskaSink, options: JoinOptions): Promise<number> {
  const writer = new MatroskaWriter(sink, 1, 0, options.crc32);
  let first: DescribedTrack | null = null;
  let frames = 0;
  let lastMs = Number.NEGATIVE_INFINITY;
  for (const { name, chunks } of pieces) {
    const wrong = (what: string) => new DiscError('bad-structure', { source: name, byteOffset: 0, structure: 'Cluster' }, what);
    let latestMs = lastMs;
    let begun = false;
    const add = ({ timestampMs, key, discardable, data: frame }: StreamBlock): boolean => {
      if (!begun && !key) throw wrong('A piece does not begin with a picture that decoding can begin with');
      if (timestampMs < lastMs + ROUNDING_MS) throw wrong(`A piece has a picture at ${timestampMs} ms, where the one before is not over`);
      begun = true;
      latestMs = Math.max(latestMs, timestampMs);
      frames++;
      const data = key && options.intoKeys ? options.intoKeys(frame) : frame;
      writer.add({ track: 0, ticks: timestampMs * TICKS_PER_MS, durationTicks: null, key, discardable, data });
      return writer.pending;
    };
    for await (const part of readMatroskaStream(chunks, name)) {
      throwIfCancelled(options.signal, name);
      if (part.kind === 'tracks') {
        const [only] = part.tracks;
        if (!only || part.tracks.length > 1) throw wrong('A piece has not one picture track');
        if (first) requireSame(first, only, name);
        else {
          first = { ...only, elements: only.elements.slice(), codecPrivate: only.codecPrivate.slice() };
          await writer.begin(describe(first, options));
        }
      } else if (first) for (const block of part.blocks) if (add(block)) await writer.flush();
    }
    if (!begun) throw wrong('A piece has no picture');
    lastMs = latestMs;
  }
  if (first) await writer.finish(describe(first, options));
  return frames;
}

const describe = (track: DescribedTrack, { application, durationNs }: JoinOptions) => ({
  title: '',
  application,
  seed: 'joined pieces',
  chapters: [],
  tags: [],
  durationNs,
  tracks: [
    {
      kind: 'kept' as const,
      type: 'video' as const,
      uid: 1n,
      codecId: track.codecId,
      codecPrivate: null,
      defaultDurationNs: null,
      elements: track.elements,
      name: '',
      language: null,
      isDefault: true,
      isForced: false,
      isHearingImpaired: false,
      isVisuallyImpaired: false,
      isOriginal: false,
      isCommentary: false,
    },
  ],
});
