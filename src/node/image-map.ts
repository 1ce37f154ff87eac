import { readFileSync } from 'node:fs';
import { stat } from 'node:fs/promises';
import path from 'node:path';
import { DiscError } from '@/core/bytes';
import { RescueMap } from '@/core/rescue';

/** Where the map of an image stands. */
export const mapOf = (image: string): string => `${image}.map`;

const MOST_MAP_BYTES = 128 * 1024 * 1024;

/** The map of an image; null where it has none. @throws DiscError `bad-map`. */
export async function readMap(file: string, sizeBytes: number): Promise<RescueMap | null> {
  const info = await stat(file).catch(() => null);
  if (!info) return null;
  const name = path.basename(file);
  if (info.size > MOST_MAP_BYTES) throw new DiscError('bad-map', { source: name, byteOffset: 0 }, 'It is larger than any map');
  return RescueMap.parse(readFileSync(file, 'utf8'), name, sizeBytes);
}
