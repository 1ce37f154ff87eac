import { DiscError, readExactly, type ByteSource, type Extent } from '../../bytes';
import { SECTOR_BYTES } from '../volume';
import { TAG, checkedTag } from './descriptors';
import { Entries } from './entries';
import { plainSpace } from './spaces';

/** The table's file entry is the last thing written; images may have some padding behind it. */
const SEARCHED_SECTORS = 256;
const MAX_TABLE_BYTES = 16 * 1024 * 1024;
/** File types of its entry: none in UDF 1.50 (2.2.10), 248 from 2.00 on. */
const OLD_TYPE = 0;
const NEW_TYPE = 248;
/** UDF 1.50: the table ends in an identifier and the place of the table before. */
const OLD_TAIL_BYTES = 36;

/**
 * Finds and reads the Virtual Allocation Table: where each virtual block lies. OSTA UDF 1.50 2.2.10; 2.01 2.2.11.
 * @param start first sector of the partition.
 * @returns blocks of the partition, by virtual block.
 * @throws DiscError `bad-structure` where there is none.
 */
export async function readAllocationTable(
  disc: ByteSource,
  start: number,
  structures: (extents: readonly Extent[]) => ByteSource,
): Promise<number[]> {
  const entries = new Entries(disc.name, [plainSpace(disc, start)], structures);
  const last = Math.floor(disc.sizeBytes / SECTOR_BYTES) - 1;
  for (let sector = last; sector >= Math.max(start, last - SEARCHED_SECTORS); sector--) {
    const type = await typeOfEntry(disc, sector);
    if (type !== OLD_TYPE && type !== NEW_TYPE) continue;
    const entry = await entries.read({ block: sector - start, partition: 0, bytes: SECTOR_BYTES, kind: 0 });
    if (entry.sizeBytes > MAX_TABLE_BYTES) continue;
    const table = entry.extents
      ? await readExactly(structures(entry.extents), 0, entry.sizeBytes, 'Virtual Allocation Table')
      : entry.embedded;
    const places = parseTable(table, type === NEW_TYPE);
    if (places) return places;
  }
  throw new DiscError(
    'bad-structure',
    { source: disc.name, byteOffset: last * SECTOR_BYTES, structure: 'Virtual Allocation Table' },
    'The disc was written in sessions, and the table of the last one is not at its end',
  );
}

/** @returns the file type of a file entry that stands in this sector; null where none does. */
async function typeOfEntry(disc: ByteSource, sector: number): Promise<number | null> {
  const data = new Uint8Array(SECTOR_BYTES);
  const where = { source: disc.name, byteOffset: sector * SECTOR_BYTES, structure: 'File Entry' };
  if ((await disc.read(where.byteOffset, data)) < SECTOR_BYTES) return null;
  try {
    const tag = checkedTag(data, where, null);
    return tag === TAG.fileEntry || tag === TAG.extendedFileEntry ? (data[27] ?? null) : null;
  } catch (error) {
    if (!(error instanceof DiscError)) throw error;
    return null;
  }
}

function parseTable(table: Uint8Array, withHeader: boolean): number[] | null {
  const view = new DataView(table.buffer, table.byteOffset, table.byteLength);
  let from = 0;
  let end = table.byteLength;
  if (withHeader) {
    if (table.byteLength < 152) return null;
    from = view.getUint16(0, true);
  } else {
    end -= OLD_TAIL_BYTES;
    if (end < 0 || String.fromCharCode(...table.subarray(end + 1, end + 23)) !== '*UDF Virtual Alloc Tbl') return null;
  }
  return Array.from({ length: Math.max(0, Math.floor((end - from) / 4)) }, (_, i) => view.getUint32(from + i * 4, true));
}
