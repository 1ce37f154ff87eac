import { concatBytes } from '@/core/bytes';
import { Block, SECTOR } from './block';

/** A file of a volume, in the order in which it is to stand there. */
export interface FileToWrite {
  /** Path. */
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

interface Folder {
  readonly name: string;
  /** Place of its parent in the list of all; its own for the root. */
  readonly parent: number;
  readonly folders: number[];
  readonly files: FileToWrite[];
}

/** Folders of paths, each behind its parent, level by level, as the path table wants them. ECMA-119 6.9.1 */
function foldersOf(files: readonly FileToWrite[]): Folder[] {
  const all: Folder[] = [{ name: '', parent: 0, folders: [], files: [] }];
  const depth = Math.max(...files.map((f) => f.name.split('/').length));
  const place = new Map([['', 0]]);
  for (let level = 1; level < depth; level++)
    for (const { name } of files) {
      const parts = name.split('/').slice(0, -1);
      const own = parts.slice(0, level).join('/');
      if (parts.length < level || place.has(own)) continue;
      const parent = place.get(parts.slice(0, level - 1).join('/')) ?? 0;
      place.set(own, all.length);
      all[parent]?.folders.push(all.length);
      all.push({ name: parts[level - 1] as string, parent, folders: [], files: [] });
    }
  for (const file of files) {
    const parts = file.name.split('/');
    all[place.get(parts.slice(0, -1).join('/')) ?? 0]?.files.push({ ...file, name: parts.at(-1) as string });
  }
  return all;
}

/** An image of files by their paths, level 2 of ISO 9660. ECMA-119 clauses 8 and 9. Content stands in the order of the list. */
export function writeIso(label: string, files: readonly FileToWrite[]): Uint8Array {
  const folders = foldersOf(files);
  const sizes = folders.map((one) => {
    const records = [...one.folders.map((f) => folders[f]?.name ?? ''), ...one.files.map(({ name }) => `${name};1`)];
    return folder([0 as const, 1 as const, ...records].map((name) => record(name, 0, 0, false))).byteLength;
  });
  let next = FIRST_SECTOR;
  const folderAt = sizes.map((size) => {
    const sector = next;
    next += size / SECTOR;
    return sector;
  });
  const placed = new Map(
    files.map(({ name, bytes }) => {
      const sector = next;
      next += Math.ceil(bytes.byteLength / SECTOR);
      return [name, { sector, bytes }];
    }),
  );
  const image = new Uint8Array(next * SECTOR);
  const pathOf = (at: number): string => (at === 0 ? '' : `${pathOf(folders[at]?.parent ?? 0)}${folders[at]?.name ?? ''}/`);
  folders.forEach((one, i) => {
    const inside = [
      ...one.folders.map((f) => ({ name: folders[f]?.name ?? '', sector: folderAt[f] ?? 0, size: sizes[f] ?? 0, isFolder: true })),
      ...one.files.map(({ name, bytes }) => ({
        name: `${name};1`,
        sector: placed.get(pathOf(i) + name)?.sector ?? 0,
        size: bytes.byteLength,
        isFolder: false,
      })),
    ].sort((a, b) => (a.name < b.name ? -1 : 1));
    const records = [
      record(0, folderAt[i] ?? 0, sizes[i] ?? 0, true),
      record(1, folderAt[one.parent] ?? 0, sizes[one.parent] ?? 0, true),
      ...inside.map((r) => record(r.name, r.sector, r.size, r.isFolder)),
    ];
    image.set(folder(records), (folderAt[i] ?? 0) * SECTOR);
  });
  const paths = (little: boolean): Uint8Array => {
    const table = new Uint8Array(SECTOR);
    const view = new DataView(table.buffer);
    let at = 0;
    folders.forEach(({ name, parent }, i) => {
      const length = Math.max(1, name.length);
      table.set([length, 0], at);
      view.setUint32(at + 2, folderAt[i] ?? 0, little);
      view.setUint16(at + 6, parent + 1, little);
      table.set(new TextEncoder().encode(name), at + 8);
      at += 8 + length + (length & 1);
    });
    return table.subarray(0, at);
  };
  const primary = new Block(SECTOR).u8(0, 1).text(1, 'CD001').u8(6, 1).text(8, '', 32).text(40, label, 32);
  primary.both32(80, next).both16(120, 1).both16(124, 1).both16(128, SECTOR).both32(132, paths(true).byteLength);
  new DataView(primary.bytes.buffer).setUint32(140, 18, true);
  primary.u32(148, 19).put(156, image.subarray((folderAt[0] ?? 0) * SECTOR, (folderAt[0] ?? 0) * SECTOR + 34));
  primary.text(190, '', 623).u8(881, 1);
  image.set(primary.bytes, 16 * SECTOR);
  image.set(new Block(SECTOR).u8(0, 255).text(1, 'CD001').u8(6, 1).bytes, 17 * SECTOR);
  image.set(paths(true), 18 * SECTOR);
  image.set(paths(false), 19 * SECTOR);
  for (const { bytes, sector } of placed.values()) image.set(bytes, sector * SECTOR);
  return image;
}
