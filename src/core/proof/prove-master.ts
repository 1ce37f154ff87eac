import { restoreLpcm } from '../assembly';
import type { ByteSource } from '../bytes';
import { readMatroska, type Crc32 } from '../matroska';
import type { MasterPromise } from '../recipes/master';
import type { CreateHash } from './hash';

/** One thing checked, and how it came out. */
export interface Check {
  readonly what: 'track identical' | 'packets' | 'timestamps' | 'duration' | 'chapters' | 'checksums' | 'structure' | 'decodes' | 'streams';
  /** Track from 0 it is about; null for the file. */
  readonly track: number | null;
  readonly passed: boolean;
  readonly expected: string;
  readonly found: string;
}

export interface Proof {
  readonly passed: boolean;
  readonly checks: readonly Check[];
  /** Tracks whose bytes were shown to be the disc's own, of how many. */
  readonly identicalTracks: number;
  readonly tracks: number;
}

/** Blocks may come this much before the latest of their track: B pictures are written in decoding order. */
/** Pictures stand in the order of decoding: one may come this much before another that is shown earlier. Sound and subtitles never do. */
const REORDER_MS = 500;

/**
 * Reads a finished master through and compares it with what was promised while it was made: the payload of every
 * track hashed again, number of frames, order of time stamps, duration, chapters, checksums.
 * @throws DiscError where the file can not be read as Matroska at all.
 */
export async function proveMaster(
  source: ByteSource,
  promise: MasterPromise,
  options: {
    readonly createHash: CreateHash;
    readonly crc32?: Crc32;
    readonly signal?: AbortSignal;
    readonly onProgress?: (bytes: number, total: number) => void;
  },
): Promise<Proof> {
  const tracks = promise.tracks.map((p) => ({
    promise: p,
    hash: options.createHash(),
    packets: 0,
    latest: Number.NEGATIVE_INFINITY,
    disorder: 0,
    latestMs: 0,
  }));
  const scratch = { bytes: new Uint8Array(64 * 1024) };
  let strayBlocks = 0;
  const summary = await readMatroska(
    source,
    {
      block: (number, ms, _key, data) => {
        const track = tracks[number - 1];
        if (!track) {
          strayBlocks++;
          return;
        }
        track.packets++;
        if (ms < track.latestMs - (track.promise.kind === 'video' ? REORDER_MS : 0)) track.disorder++;
        track.latestMs = Math.max(track.latestMs, ms);
        track.hash.update(track.promise.lpcm ? restoreLpcm(track.promise.lpcm, data, scratch) : data);
        if (ms < track.latest - (track.promise.kind === 'video' ? REORDER_MS : 0)) track.disorder++;
        track.latest = Math.max(track.latest, ms);
      },
      progress: (bytes) => options.onProgress?.(bytes, source.sizeBytes),
    },
    options,
  );
  const checks: Check[] = [];
  const check = (
    what: Check['what'],
    track: number | null,
    expected: string | number,
    found: string | number,
    passed = expected === found,
  ) => {
    checks.push({ what, track, expected: String(expected), found: String(found), passed });
  };
  check(
    'structure',
    null,
    'finished, no stray blocks',
    summary.finished && strayBlocks === 0
      ? 'finished, no stray blocks'
      : `finished: ${String(summary.finished)}, stray: ${String(strayBlocks)}`,
  );
  check('streams', null, promise.tracks.length, summary.tracks.length);
  tracks.forEach((track, i) => {
    check('track identical', i, track.promise.hash, track.hash.digest());
    check('packets', i, track.promise.packets, track.packets);
    check('timestamps', i, '0 out of order', `${String(track.disorder)} out of order`);
  });
  check(
    'duration',
    null,
    Math.round(promise.durationMs),
    Math.round(summary.durationMs),
    Math.abs(promise.durationMs - summary.durationMs) < 2,
  );
  check('chapters', null, promise.chapters.length, summary.chapters.length);
  check(
    'checksums',
    null,
    `${String(summary.checksums)} of ${String(summary.checksums)}`,
    `${String(summary.checksums - summary.wrongChecksums)} of ${String(summary.checksums)}`,
    summary.wrongChecksums === 0 && summary.checksums >= summary.clusters,
  );
  return {
    passed: checks.every((c) => c.passed),
    checks,
    tracks: tracks.length,
    identicalTracks: checks.filter((c) => c.what === 'track identical' && c.passed).length,
  };
}
