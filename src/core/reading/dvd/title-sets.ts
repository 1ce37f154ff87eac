import { DiscError, throwIfCancelled, type ByteSource } from '../../bytes';
import { parseTitleSet, type TitleSet, type VideoManager } from '../../dvd';
import { SECTOR_BYTES, pathParts, type Volume } from '../../volume';
import type { Remark } from '../model';
import type { ReadOptions } from '../progress';
import { readWithBackup, type Copies } from '../structures';
import { navigationAt } from './navigation-at';
import { dvdFileName, openTitleSetContent, type TitleSetContent } from './title-set-files';

/** A title set as it was read: its tables, and what its titles stand in. */
export interface ReadSet {
  readonly set: TitleSet;
  readonly content: TitleSetContent | null;
  /** Sector of the set's content in the disc's address space. */
  readonly base: number;
}

/** Highest number that a title set can have. */
const MOST_SETS = 99;

export const copiesOf = (folder: string, titleSet: number): Copies => ({
  main: [[...pathParts(folder), dvdFileName(titleSet, 'IFO')].join('/')],
  backup: [[...pathParts(folder), dvdFileName(titleSet, 'BUP')].join('/')],
  compare: true,
});

/** Title sets that the manager counts and that are there. */
async function presentSets(volume: Volume, folder: string, count: number): Promise<number[]> {
  const names = new Set(((await volume.list(folder)) ?? []).map((e) => e.name.toUpperCase()));
  return Array.from({ length: count }, (_, i) => i + 1).filter((n) => names.has(dvdFileName(n, 'IFO')) || names.has(dvdFileName(n, 'BUP')));
}

/** Cells that are compared with the content; more of a disc made to confuse are not. */
const MOST_COMPARED_CELLS = 400;

/**
 * Share of a title set's cells that begin with their own navigation pack, and after which another begins or the content ends: what
 * tells which of two tables is the right one.
 */
async function cellAgreement(set: TitleSet, content: ByteSource): Promise<number> {
  const cells = set.pgcs.flatMap((pgc) => pgc?.cells ?? []).slice(0, MOST_COMPARED_CELLS);
  const sectors = Math.floor(content.sizeBytes / SECTOR_BYTES);
  let agreeing = 0;
  for (const cell of cells) {
    const first = await navigationAt(content, cell.firstSector);
    const ends = cell.lastSector + 1 >= sectors ? cell.lastSector < sectors : (await navigationAt(content, cell.lastSector + 1)) !== null;
    if (first && first.vobId === cell.vobId && first.cellId === cell.cellId && ends) agreeing++;
  }
  return cells.length === 0 ? 0 : agreeing / cells.length;
}

/** Puts among the remarks what of a table could not be believed. */
export function remarkFaults(faults: readonly DiscError[], title: number | null, remarks: Remark[]): void {
  for (const fault of faults) remarks.push({ code: 'table-damaged', severity: 'warning', title, detail: fault.message });
}

/**
 * Reads all title sets, also those that no title stands in: what is hidden there is on the disc all the same. One that is lost is
 * remarked and left out.
 * @param structures what identifies the pressing is added to. @throws DiscError `cancelled`.
 */
export async function readTitleSets(
  volume: Volume,
  folder: string,
  manager: VideoManager,
  { signal, onProgress }: ReadOptions,
  structures: Uint8Array[],
  remarks: Remark[],
): Promise<{ readonly sets: Map<number, ReadSet>; readonly count: number }> {
  const numbers = [...new Set([...manager.titles.map((t) => t.titleSet), ...(await presentSets(volume, folder, manager.titleSetCount))])]
    .filter((n) => n >= 1 && n <= MOST_SETS)
    .sort((a, b) => a - b);
  const sets = new Map<number, ReadSet>();
  let base = 0;
  const lost = (detail: string) => remarks.push({ code: 'structure-lost', severity: 'fault', title: null, detail });
  for (const [index, number] of numbers.entries()) {
    throwIfCancelled(signal, volume.name);
    onProgress?.({ step: 'titleSet', done: index, total: numbers.length });
    try {
      const content = await openTitleSetContent(volume, folder, number).catch((error: unknown) => {
        if (!(error instanceof DiscError)) throw error;
        lost(error.message);
        return null;
      });
      const read = await readWithBackup(
        volume,
        copiesOf(folder, number),
        (bytes, source) => parseTitleSet(bytes, number, source),
        (v) => v.faults,
        remarks,
        content && ((set) => cellAgreement(set, content.source)),
      );
      structures.push(read.bytes);
      remarkFaults(read.value.faults, null, remarks);
      sets.set(number, { set: read.value, content, base: content?.firstSector ?? base });
      base += content ? Math.ceil(content.source.sizeBytes / SECTOR_BYTES) : 0;
    } catch (error) {
      if (!(error instanceof DiscError) || error.code === 'cancelled') throw error;
      lost(`Title set ${number}: ${error.message}`);
    }
  }
  return { sets, count: numbers.length };
}
