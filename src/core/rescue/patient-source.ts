import { DiscError, throwIfCancelled, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import { RescueMap } from './map';
import { takeImage } from './take';

export interface PatientOptions {
  /** As for images: failed reads of a drive that is empty say nothing of the disc. */
  readonly isThere: () => Promise<boolean>;
  /** Times that sectors which failed by themselves are tried once more. */
  readonly retries: number;
  /** Told of a stretch that did not come at once: what came after all, and what did not, in bytes. */
  readonly onRescued: (from: number, to: number, lost: number) => void;
  readonly signal?: AbortSignal | undefined;
}

/** Stretches that came late are kept: who asked for them whole asks again piece by piece. Bounds memory to a few large reads. */
const MOST_KEPT = 4;

/** Of a disc that has lost more than this, each sector is asked for less often: what is left of it is to be had before the drive is worn out. */
const MOST_PATIENT_BYTES = 2048 * SECTOR_BYTES;

interface Kept {
  readonly from: number;
  readonly to: number;
  readonly data: Uint8Array;
}

const overlaps = (a: { from: number; to: number }, from: number, to: number) => a.from < to && a.to > from;

/**
 * A drive read as images are taken: where a read fails, its stretch is read in smaller ones from both sides, down to the sector, several
 * times. What came is handed out, what is lost stays lost, and neither wears the disc again. Reads that succeed cost nothing more.
 */
export function patientSource(source: ByteSource, options: PatientOptions): ByteSource {
  /** What never came; all else is taken as not known to be bad. */
  const lost = RescueMap.untouched(source.sizeBytes);
  lost.set(0, source.sizeBytes, 'read');
  const kept: Kept[] = [];

  const refuseLost = (from: number, to: number): void => {
    const [gap] = lost.gaps(from, to);
    if (!gap) return;
    const where = { source: source.name, byteOffset: gap.from };
    throw new DiscError('read-failed', where, `Sector ${Math.floor(gap.from / SECTOR_BYTES)} can not be read`);
  };

  /** Takes a stretch as an image is taken. @throws DiscError `source-gone`, `cancelled`. */
  const rescue = async (from: number, to: number): Promise<void> => {
    const map = RescueMap.untouched(source.sizeBytes);
    map.set(0, source.sizeBytes, 'read');
    map.set(from, to, 'not tried');
    // What is known to be lost is not asked for again.
    for (const gap of lost.gaps(from, to)) map.set(gap.from, gap.to, 'read');
    const data = new Uint8Array(to - from);
    await takeImage(source, map, {
      write: (offset, part) => {
        data.set(part, offset - from);
        return Promise.resolve();
      },
      onStep: () => undefined,
      isThere: options.isThere,
      retries: lost.bytesOf('unreadable') > MOST_PATIENT_BYTES ? 0 : options.retries,
      now: () => 0, // nobody looks at how long its reads take
      signal: options.signal,
    });
    for (const gap of map.gaps(from, to)) lost.set(gap.from, gap.to, 'unreadable');
    options.onRescued(from, to, map.bytesOf('unreadable'));
    kept.push({ from, to, data });
    if (kept.length > MOST_KEPT) kept.shift();
  };

  /** What was kept of a stretch; null where not all of it is. */
  const remembered = (from: number, to: number): Uint8Array | null => {
    const stretch = kept.find((k) => k.from <= from && to <= k.to);
    return stretch ? stretch.data.subarray(from - stretch.from, to - stretch.from) : null;
  };

  return {
    name: source.name,
    sizeBytes: source.sizeBytes,
    read: async (offset, target) => {
      const end = Math.min(offset + target.byteLength, source.sizeBytes);
      if (offset >= end) return 0;
      refuseLost(offset, end);
      if (!kept.some((k) => overlaps(k, offset, end))) {
        try {
          return await source.read(offset, target);
        } catch (error) {
          if (!(error instanceof DiscError) || error.code !== 'read-failed') throw error;
        }
      }
      throwIfCancelled(options.signal, source.name);
      // Whole sectors, which is what a drive gives.
      const [from, to] = [
        Math.floor(offset / SECTOR_BYTES) * SECTOR_BYTES,
        Math.min(source.sizeBytes, Math.ceil(end / SECTOR_BYTES) * SECTOR_BYTES),
      ];
      if (!remembered(offset, end)) await rescue(from, to);
      refuseLost(offset, end);
      target.set(remembered(offset, end) ?? new Uint8Array(0));
      return end - offset;
    },
    gaps: (offset, length) => lost.gaps(offset, Math.min(offset + length, source.sizeBytes)),
  };
}
