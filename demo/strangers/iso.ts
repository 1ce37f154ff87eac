import { concatBytes } from '@/core/bytes';
import { Block, SECTOR } from './block';

/** A file of a volume, in the order in which it is to stand there. */
export interface FileToWrite {
  readonly name: string;
  readonly bytes: Uint8Array;
}

const DATE = [126, 5, 17, 12, 0, 0, 0];
const FIRST_SECTOR = 24;

/** ECMA-119 9.1: a directory record. */
function record(name: string | 0 | 1, sector: number, size: number, isFolder: boolean): Uint8Array {
  const length = typeof name === 'string' ? name.length : 1;
  const whole = 33 + length + ((33 + length) & 1);
  const block = new Block(whole).u8(0, whole).both32(2, sector).both32(10, size).put(18, DATE);
  block
    .u8(25, isFolder ? 2 : 0)
    .both16(28, 1)
    .u8(32, length);
  return typeof name === 'string' ? block.text(33, name).bytes : block.u8(33, name).bytes;
}

/** Records of a folder, none of which crosses the end of a sector. */
function folder(records: readonly Uint8Array[]): Uint8Array {
  const sectors: Uint8Array[] = [];
  let sector = new Uint8Array(SECTOR);
  let at = 0;
  for (const one of records) {
    if (at + one.byteLength > SECTOR) {
      sectors.push(sector);
      sector = new Uint8Array(SECTOR);
      at = 0;
    }
    sector.set(one, at);
    at += one.byteLength;
  }
  return concatBytes([...sectors, sector]);
}

/** An image with one folder of files, level 1 of ISO 9660. ECMA-119 clauses 8 and 9. */
export function writeIso(label: string, folderName: string, files: readonly FileToWrite[]): Uint8Array {
  const own = folder(files.map(({ name }) => record(`${name};1`, 0, 0, false))).byteLength;
  const [rootAt, folderAt] = [20, 21];
  const firstFile = Math.max(FIRST_SECTOR, folderAt + 1 + own / SECTOR);
  let next = firstFile;
  const placed = files.map(({ name, bytes }) => {
    const sector = next;
    next += Math.ceil(bytes.byteLength / SECTOR);
    return { name, bytes, sector };
  });
  const root = folder([record(0, rootAt, SECTOR, true), record(1, rootAt, SECTOR, true), record(folderName, folderAt, own + SECTOR, true)]);
  const inside = folder([
    record(0, folderAt, own + SECTOR, true),
    record(1, rootAt, SECTOR, true),
    ...[...placed].sort((a, b) => (a.name < b.name ? -1 : 1)).map((f) => record(`${f.name};1`, f.sector, f.bytes.byteLength, false)),
  ]);
  const paths = (little: boolean): Uint8Array => {
    const table = new Uint8Array(SECTOR);
    const view = new DataView(table.buffer);
    table.set([1, 0]);
    view.setUint32(2, rootAt, little);
    view.setUint16(6, 1, little);
    table.set([folderName.length, 0], 10);
    view.setUint32(12, folderAt, little);
    view.setUint16(16, 1, little);
    table.set(new TextEncoder().encode(folderName), 18);
    return table;
  };
  const pathBytes = 10 + 8 + folderName.length + (folderName.length & 1);
  const primary = new Block(SECTOR).u8(0, 1).text(1, 'CD001').u8(6, 1).text(8, '', 32).text(40, label, 32);
  primary.both32(80, next).both16(120, 1).both16(124, 1).both16(128, SECTOR).both32(132, pathBytes);
  new DataView(primary.bytes.buffer).setUint32(140, 18, true);
  primary.u32(148, 19).put(156, root.subarray(0, 34));
  primary.text(190, '', 623).u8(881, 1);
  const end = new Block(SECTOR).u8(0, 255).text(1, 'CD001').u8(6, 1);
  const image = new Uint8Array(next * SECTOR);
  image.set(primary.bytes, 16 * SECTOR);
  image.set(end.bytes, 17 * SECTOR);
  image.set(paths(true), 18 * SECTOR);
  image.set(paths(false), 19 * SECTOR);
  image.set(root, rootAt * SECTOR);
  image.set(inside, folderAt * SECTOR);
  for (const { bytes, sector } of placed) image.set(bytes, sector * SECTOR);
  return image;
}
