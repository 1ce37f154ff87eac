import { unlessDamaged, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import type { RescueMap } from './map';

const PLACES = 64;
/** Sectors that hold something, and are the same on both, before two discs are believed to be of one pressing. */
const LEAST_SAME = 8;

/** What a comparison of a disc with an image found. */
export interface Sameness {
  readonly compared: number;
  readonly different: number;
  /** Places where the disc gave nothing to compare. */
  readonly silent: number;
  /** Whether they are copies of the same: as large, never different, and compared at enough places. */
  readonly isSame: boolean;
}

/** Compares a disc with what an image has of another copy of it, at places spread over what was read. @throws what the image's reads throw. */
export async function samePressing(disc: ByteSource, image: ByteSource, map: RescueMap): Promise<Sameness> {
  const [one, other] = [new Uint8Array(SECTOR_BYTES), new Uint8Array(SECTOR_BYTES)];
  const read = map.of('read');
  const total = map.bytesOf('read');
  let [compared, different, silent] = [0, 0, 0];
  for (let i = 0; i < PLACES; i++) {
    let left = Math.floor((total * i) / PLACES);
    const stretch = read.find((s) => left < s.to - s.from || ((left -= s.to - s.from), false));
    if (!stretch) break;
    const at = Math.floor((stretch.from + left) / SECTOR_BYTES) * SECTOR_BYTES;
    if (at < stretch.from || at + SECTOR_BYTES > stretch.to) continue;
    const got = await unlessDamaged(disc.read(at, one), 0);
    if (got < SECTOR_BYTES) silent++;
    if (got < SECTOR_BYTES || (await image.read(at, other)) < SECTOR_BYTES) continue;
    // Empty sectors are the same on any disc.
    if (one.every((byte) => byte === 0) && other.every((byte) => byte === 0)) continue;
    compared++;
    if (one.some((byte, b) => byte !== other[b])) different++;
  }
  return { compared, different, silent, isSame: disc.sizeBytes === image.sizeBytes && different === 0 && compared >= LEAST_SAME };
}
