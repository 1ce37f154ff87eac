import { existsSync, readFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { z } from 'zod';
import { DiscError } from '@/core/bytes';
import { SECTOR_BYTES } from '@/core/volume';
import { openFileSource, type FileSource } from './files';

const Zone = z.object({ sector: z.number().int().nonnegative(), sectors: z.number().int().positive() });

/** What a simulated disc is: an image, how fast it reads, and where it is scratched. */
export const SimulatedDiscSchema = z.object({
  label: z.string(),
  /** Relative to the file that says so. */
  image: z.string(),
  bytesPerSecond: z.number().positive(),
  spinUpMs: z.number().nonnegative(),
  scratches: z.array(Zone),
  /** How long the drive tries before it gives up. */
  retryMs: z.number().nonnegative().default(400),
  /** Scratches that give way at the third try. */
  unsteady: z.array(Zone).default([]),
  /** Read at this share of the speed elsewhere: what ageing looks like before anything is lost. */
  slow: z.array(Zone.extend({ share: z.number().positive().max(1) })).default([]),
  /** Times the speed at the edge of the disc is that at its middle, as drives that turn evenly have it. */
  edgeSpeed: z.number().min(1).max(3).default(1),
  /**
   * While this file is there, no long read that begins at this sector or behind it comes back: whoever tries something in the middle of a
   * reading need not be quick. Looks at tables, and at samples, are short.
   */
  gate: z.object({ file: z.string(), sector: z.number().int().nonnegative() }).optional(),
});
type Scratch = z.infer<typeof Zone>;
const isIn = (zone: Scratch, first: number, last: number): boolean => zone.sector <= last && zone.sector + zone.sectors > first;
export type SimulatedDisc = z.infer<typeof SimulatedDiscSchema>;

export async function loadSimulatedDisc(file: string): Promise<SimulatedDisc> {
  return SimulatedDiscSchema.parse(JSON.parse(await readFile(file, 'utf8')));
}

/** How often a closed gate is looked at. */
const GATE_MS = 10;
const LONG_SECTORS = 64;

/** A simulated disc is a file that says so; a drive is a device. */
export const isSimulated = (place: string): boolean => place.endsWith('.json');

/** Whether a simulated disc has been made: discs of a demonstration come one after the other. */
export function isDiscMade(discFile: string): boolean {
  try {
    const { image } = SimulatedDiscSchema.pick({ image: true }).parse(JSON.parse(readFileSync(discFile, 'utf8')));
    return existsSync(path.resolve(path.dirname(discFile), image));
  } catch {
    return true; // one that was pulled out, or that says of itself what is wrong when it is laid in
  }
}

/** Whether a simulated disc lies in its drive: one that was pulled out is set aside. */
export const isDiscIn = (discFile: string): boolean => existsSync(discFile);

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
  const tries = new Map<number, number>();
  /** The first sector of a read that does not come this time. */
  const failing = (first: number, last: number): number | null => {
    const inZone = (s: Scratch) => isIn(s, first, last);
    const scratch = disc.scratches.find(inZone);
    if (scratch) return Math.max(first, scratch.sector);
    for (const zone of disc.unsteady.filter(inZone)) {
      const at = Math.max(first, zone.sector);
      tries.set(at, (tries.get(at) ?? 0) + 1);
      if (first !== last || (tries.get(at) ?? 0) < 3) return at;
    }
    return null;
  };
  return {
    name: disc.label,
    sizeBytes: image.sizeBytes,
    read: async (offset, target) => {
      const fail = (sector: number, why: string) =>
        new DiscError('read-failed', { source: disc.label, byteOffset: sector * SECTOR_BYTES }, why);
      const first = Math.floor(offset / SECTOR_BYTES);
      const last = Math.floor((offset + target.byteLength - 1) / SECTOR_BYTES);
      // A disc that was pulled out.
      if (!isDiscIn(discFile)) throw fail(first, 'There is no disc');
      while (disc.gate && last - first >= LONG_SECTORS && first >= disc.gate.sector && existsSync(disc.gate.file)) {
        await sleep(GATE_MS);
        if (!isDiscIn(discFile)) throw fail(first, 'There is no disc');
      }
      const now = performance.now();
      const slow = disc.slow.find((s) => isIn(s, first, last))?.share ?? 1;
      const speed = disc.bytesPerSecond * slow * (1 + (disc.edgeSpeed - 1) * (offset / image.sizeBytes));
      busyUntil = Math.max(now, busyUntil) + (target.byteLength / speed) * 1000;
      if (busyUntil - now > 4) await sleep(busyUntil - now);
      const bad = failing(first, last);
      if (bad !== null) {
        await sleep(disc.retryMs);
        throw fail(bad, `Sector ${bad} can not be read`);
      }
      return image.read(offset, target);
    },
    close: () => image.close(),
  };
}
