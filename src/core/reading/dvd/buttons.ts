import { throwIfCancelled, unlessDamaged } from '../../bytes';
import { buttonKey, type ButtonTable, type VideoManager } from '../../dvd';
import { readMenuButtons } from '../../streams';
import { SECTOR_BYTES, type Volume } from '../../volume';
import { dvdFileName, openInFolder } from './title-set-files';
import type { ReadSet } from './title-sets';

const MENU_SECTORS = 2;

/** Reads the button commands of every menu chain out of the first navigation packs of its cells. */
export async function readButtons(
  volume: Volume,
  folder: string,
  manager: VideoManager,
  sets: ReadonlyMap<number, ReadSet>,
  signal: AbortSignal | undefined,
): Promise<ButtonTable> {
  const table = new Map<string, { commands: readonly Uint8Array[]; selected: number }>();
  const domains = [{ number: 0, menus: manager.menus }, ...[...sets].map(([number, s]) => ({ number, menus: s.set.menus }))];
  for (const domain of domains) {
    if (domain.menus.length === 0) continue;
    throwIfCancelled(signal, volume.name);
    const file = await openInFolder(volume, folder, dvdFileName(domain.number, 'VOB'));
    if (!file) continue;
    for (const menu of domain.menus) {
      const cell = menu.pgc.cells[0];
      if (!cell) continue;
      const data = new Uint8Array(MENU_SECTORS * SECTOR_BYTES);
      const got = await unlessDamaged(file.read(cell.firstSector * SECTOR_BYTES, data), 0);
      const buttons = got >= SECTOR_BYTES ? readMenuButtons(data, 0) : null;
      if (buttons) table.set(buttonKey(domain.number, menu.number, menu.language), buttons);
    }
  }
  return table;
}
