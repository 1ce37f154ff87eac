import { unlessDamaged, type ByteSource } from '../../bytes';
import { readNavigationPack, type NavigationPack } from '../../streams';
import { SECTOR_BYTES } from '../../volume';

/** The navigation pack at a sector of a title set's content; null where none stands there, or it can not be read. */
export async function navigationAt(content: ByteSource, sector: number): Promise<NavigationPack | null> {
  if (sector < 0 || (sector + 1) * SECTOR_BYTES > content.sizeBytes) return null;
  const data = new Uint8Array(SECTOR_BYTES);
  return (await unlessDamaged(content.read(sector * SECTOR_BYTES, data), 0)) === SECTOR_BYTES ? readNavigationPack(data, 0) : null;
}
