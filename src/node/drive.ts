import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { DiscError } from '@/core/bytes';
import { SECTOR_BYTES } from '@/core/volume';
import { openFileSource, type FileSource } from './files';

/** What a simulated disc is: an image, how fast it reads, and where it is scratched. */
export const SimulatedDiscSchema = z.object({
  label: z.string(),
  /** Relative to the file that says so. */
  image: z.string(),
  bytesPerSecond: z.number().positive(),
  spinUpMs: z.number().nonnegative(),
  scratches: z.array(z.object({ sector: z.number().int().nonnegative(), sectors: z.number().int().positive() })),
});
export type SimulatedDisc = z.infer<typeof SimulatedDiscSchema>;

const RETRY_MS = 400;

export async function loadSimulatedDisc(file: string): Promise<SimulatedDisc> {
  return SimulatedDiscSchema.parse(JSON.parse(await readFile(file, 'utf8')));
}

/**
 * A stand-in for an optical drive: reads an image at a drive's pace, and fails on scratched sectors after trying for a
 * while, as drives do. Everything above it sees a `ByteSource` like any other.
 */
export async function openSimulatedDrive(discFile: string, spunUp: boolean, signal?: AbortSignal): Promise<FileSource> {
  const disc = await loadSimulatedDisc(discFile);
  const image = await openFileSource(path.resolve(path.dirname(discFile), disc.image));
  try {
    if (!spunUp) await sleep(disc.spinUpMs, undefined, signal ? { signal } : {});
  } catch {
    await image.close();
    throw new DiscError('cancelled', { source: disc.label, byteOffset: 0 }, 'Stopped while the drive was spinning up');
  }
  let busyUntil = 0;
  return {
    name: disc.label,
    sizeBytes: image.sizeBytes,
    read: async (offset, target) => {
      const now = performance.now();
      busyUntil = Math.max(now, busyUntil) + (target.byteLength / disc.bytesPerSecond) * 1000;
      if (busyUntil - now > 4) await sleep(busyUntil - now);
      const first = Math.floor(offset / SECTOR_BYTES);
      const last = Math.floor((offset + target.byteLength - 1) / SECTOR_BYTES);
      const scratch = disc.scratches.find((s) => s.sector <= last && s.sector + s.sectors > first);
      if (scratch) {
        await sleep(RETRY_MS);
        throw new DiscError(
          'read-failed',
          { source: disc.label, byteOffset: Math.max(first, scratch.sector) * SECTOR_BYTES },
          `Sector ${Math.max(first, scratch.sector)} can not be read`,
        );
      }
      return image.read(offset, target);
    },
    close: () => image.close(),
  };
}
