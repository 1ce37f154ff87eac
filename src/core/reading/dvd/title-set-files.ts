import { DiscError, extentSource, type ByteSource } from '../../bytes';
import { SECTOR_BYTES, pathParts, sameName, type Volume } from '../../volume';

/** Name of a structure or content file: VIDEO_TS.IFO, VTS_01_0.IFO, VTS_01_1.VOB. */
export function dvdFileName(titleSet: number, kind: 'IFO' | 'BUP' | 'VOB', part = 0): string {
  return titleSet === 0 ? `VIDEO_TS.${kind}` : `VTS_${String(titleSet).padStart(2, '0')}_${part}.${kind}`;
}

/**
 * Finds the folder that holds VIDEO_TS.IFO: in the volume, in a folder given as the volume, or one folder below.
 * @returns its path in the volume, or null.
 */
export async function findVideoFolder(volume: Volume): Promise<string | null> {
  const holds = async (path: string) =>
    (await volume.list(path))?.some((e) => sameName(e.name, 'VIDEO_TS.IFO') || sameName(e.name, 'VIDEO_TS.BUP')) ?? false;
  for (const path of ['VIDEO_TS', '']) if (await holds(path)) return path;
  for (const entry of (await volume.list('')) ?? []) {
    if (entry.kind !== 'folder') continue;
    for (const path of [`${entry.name}/VIDEO_TS`, entry.name]) if (await holds(path)) return path;
  }
  return null;
}

const join = (folder: string, name: string) => [...pathParts(folder), name].join('/');

export const openInFolder = (volume: Volume, folder: string, name: string) => volume.open(join(folder, name));

/** The content files of a title set as one run of sectors, and where they stand on the disc. */
export interface TitleSetContent {
  readonly source: ByteSource;
  /** Sector of the first byte on the disc; null in a folder. */
  readonly firstSector: number | null;
}

/**
 * Opens VTS_nn_1.VOB to VTS_nn_9.VOB as one source.
 * @throws DiscError `not-found` where the set has no content file.
 */
export async function openTitleSetContent(volume: Volume, folder: string, titleSet: number): Promise<TitleSetContent> {
  const extents = [];
  let firstSector: number | null = null;
  for (let part = 1; part <= 9; part++) {
    const file = await openInFolder(volume, folder, dvdFileName(titleSet, 'VOB', part));
    if (!file) break;
    if (part === 1) firstSector = file.firstSector;
    // A size that is no whole number of sectors would shift every later file: the rest of the sector is left out.
    extents.push({ source: file, offset: 0, length: file.sizeBytes - (file.sizeBytes % SECTOR_BYTES) });
  }
  const name = `${volume.name} title set ${titleSet}`;
  if (extents.length === 0) {
    throw new DiscError('not-found', { source: volume.name, byteOffset: 0 }, `Title set ${titleSet} has no content file`);
  }
  return { source: extentSource(name, extents), firstSector };
}
