/**
 * Writes UDF images as discs carry them: revision 2.50 with a metadata partition and its mirror (Blu-ray), and the older
 * kinds that recorders wrote: sparable packets, and a virtual partition written in sessions.
 * Spec: ECMA-167 parts 3 and 4; OSTA UDF 2.50. Written apart from the reader; other programs check what it writes.
 */

import { Block, osta, putDstring } from './udf-block';

const SECTOR = 2048;
const PARTITION_START = 300;
const PACKET_BLOCKS = 32;
/** Extents of the metadata file are whole numbers of this. */
const ALLOCATION_UNIT = 32;

export interface ImageFile {
  readonly path: string;
  readonly data: Uint8Array;
  /** Blocks per extent, so that a file lies in pieces; 0 for one piece, -1 for inside its own entry. */
  readonly piece?: number;
}

export interface ImageOptions {
  readonly kind: 'metadata' | 'sparable' | 'virtual' | 'plain';
  readonly label: string;
  /** Packets (of 32 blocks) of the partition that are spared elsewhere, by number. */
  readonly spared?: readonly number[];
  /** The main metadata file in as many pieces as it has allocation units, as a rewritten disc has it. */
  readonly scattered?: boolean;
  /** Files whose pieces lie in turn, and a file of all of them in that order: the clips of two views, and what is read of a disc at once. */
  readonly interleaved?: { readonly path: string; readonly of: readonly [string, string]; readonly pieceBytes: number };
}

type Pieces = readonly { readonly block: number; readonly bytes: number }[];

interface Node {
  readonly name: string;
  readonly file: ImageFile | null;
  readonly children: Node[];
}

function treeOf(files: readonly ImageFile[]): Node {
  const root: Node = { name: '', file: null, children: [] };
  for (const file of files) {
    let node = root;
    const parts = file.path.split('/');
    for (const [i, name] of parts.entries()) {
      const leaf = i === parts.length - 1;
      let next = node.children.find((c) => c.name === name);
      if (!next) node.children.push((next = { name, file: leaf ? file : null, children: [] }));
      node = next;
    }
  }
  return root;
}

const blocksOf = (bytes: number) => Math.ceil(bytes / SECTOR);

/** Lays blocks out in a partition, and remembers what stands where. */
class Area {
  readonly blocks: Uint8Array[] = [];
  reserve(count: number): number {
    const at = this.blocks.length;
    for (let i = 0; i < count; i++) this.blocks.push(new Uint8Array(SECTOR));
    return at;
  }
  put(at: number, bytes: Uint8Array): void {
    for (let i = 0; i < blocksOf(bytes.byteLength); i++)
      (this.blocks[at + i] as Uint8Array).set(bytes.subarray(i * SECTOR, (i + 1) * SECTOR));
  }
}

interface Extents {
  readonly bytes: number;
  readonly list: readonly { readonly block: number; readonly bytes: number }[];
  readonly partition: number;
  /** Blocks of the entry's own partition: short descriptors, as the metadata files must have. */
  readonly short?: boolean;
}

/** An Extended File Entry with allocation descriptors, or with the data inside. */
function fileEntry(location: number, folder: boolean, fileType: number | null, content: Extents | Uint8Array): Uint8Array {
  const entry = new Block();
  const inside = content instanceof Uint8Array;
  const bytes = inside ? content.byteLength : content.bytes;
  entry
    .u16(20, 4)
    .u16(24, 1)
    .u8(27, fileType ?? (folder ? 4 : 5))
    .u16(34, inside ? 3 : content.short ? 0 : 1);
  entry.u32(36, 0xffffffff).u32(40, 0xffffffff).u32(44, 0x14a5).u16(48, 1).u64(56, bytes).u64(64, bytes);
  entry
    .u64(72, inside ? 0 : blocksOf(bytes))
    .time(80)
    .time(92)
    .time(104)
    .time(116)
    .u32(128, 1)
    .entity(168, '*Careful Vault demo')
    .u64(200, 16);
  let length = 216;
  if (inside) {
    entry.bytes.set(content, 216);
    length += content.byteLength;
  } else {
    for (const { block, bytes: size } of content.list) {
      if (content.short) entry.u32(length, size).u32(length + 4, block);
      else entry.longAd(length, size, block, content.partition);
      length += content.short ? 8 : 16;
    }
  }
  entry.u32(212, length - 216);
  return entry.tag(266, location, length).bytes;
}

function identifier(name: string, folder: boolean, parent: boolean, block: number, partition: number, location: number): Uint8Array {
  const bytes = parent ? new Uint8Array(0) : osta(name);
  const length = (38 + bytes.byteLength + 3) & ~3;
  const id = new Block(length);
  id.u16(16, 1)
    .u8(18, (folder ? 2 : 0) | (parent ? 8 : 0))
    .u8(19, bytes.byteLength)
    .longAd(20, SECTOR, block, partition);
  id.bytes.set(bytes, 38);
  return id.tag(257, location).bytes;
}

interface Placed {
  readonly icb: number;
}

/** Writes entries of a tree into `entries` and file data into `data`; the two are one area where there is no metadata partition. */
function writeTree(
  node: Node,
  entries: Area,
  data: Area,
  partitions: { entries: number; data: number },
  parentIcb: number | null,
  laid: ReadonlyMap<string, Pieces> = new Map(),
): Placed {
  const icb = entries.reserve(1);
  if (node.file) {
    const { data: bytes, piece = 0, path } = node.file;
    if (piece === -1) entries.put(icb, fileEntry(icb, false, null, bytes));
    else
      entries.put(
        icb,
        fileEntry(icb, false, null, {
          bytes: bytes.byteLength,
          list: laid.get(path) ?? placeData(data, bytes, piece),
          partition: partitions.data,
        }),
      );
    return { icb };
  }
  const placed = node.children.map((child) => ({ child, ...writeTree(child, entries, data, partitions, icb, laid) }));
  const folderBytes = () => [
    identifier('', true, true, parentIcb ?? icb, partitions.entries, 0),
    ...placed.map(({ child, icb: at }) => identifier(child.name, child.file === null, false, at, partitions.entries, 0)),
  ];
  const whole = Buffer.concat(folderBytes());
  const at = entries.reserve(blocksOf(whole.byteLength));
  entries.put(at, whole);
  entries.put(
    icb,
    fileEntry(icb, true, null, { bytes: whole.byteLength, list: [{ block: at, bytes: whole.byteLength }], partition: partitions.entries }),
  );
  return { icb };
}

/** Puts a file's bytes down, in pieces with a gap after each where wished. */
function placeData(area: Area, bytes: Uint8Array, piece: number): { block: number; bytes: number }[] {
  if (bytes.byteLength === 0) return [];
  const step = piece > 0 ? piece * SECTOR : bytes.byteLength;
  const list: { block: number; bytes: number }[] = [];
  for (let at = 0; at < bytes.byteLength; at += step) {
    const part = bytes.subarray(at, at + step);
    const block = area.reserve(blocksOf(part.byteLength) + (piece > 0 ? 1 : 0));
    area.put(block, part);
    list.push({ block, bytes: part.byteLength });
  }
  return list;
}

function fileSet(root: number, partition: number, label: string): Uint8Array {
  const set = new Block(512);
  set.time(16).u16(28, 3).u16(30, 3).u32(32, 1).u32(36, 1);
  set.entity(416, '*OSTA UDF Compliant');
  putDstring(set, 112, 128, label);
  putDstring(set, 304, 32, label);
  set.longAd(400, SECTOR, root, partition);
  return set.tag(256, 0).bytes;
}

/** What a kind of partition has put into the image: its blocks, its maps, and where the file set stands. */
interface Laid {
  readonly partition: Area;
  readonly maps: Uint8Array;
  readonly mapCount: number;
  readonly fileSetPartition: number;
  readonly fileSetBlock: number;
}

const plainMap = () => new Block(6).u8(0, 1).u8(1, 6).u16(2, 1).bytes;
const typedMap = (kind: string) => new Block(64).u8(0, 2).u8(1, 64).entity(4, kind).u16(36, 1);

function layPlain(files: readonly ImageFile[], label: string): Laid {
  const area = new Area();
  const at = area.reserve(1);
  const root = writeTree(treeOf(files), area, area, { entries: 0, data: 0 }, null);
  area.put(at, fileSet(root.icb, 0, label));
  return { partition: area, maps: plainMap(), mapCount: 1, fileSetPartition: 0, fileSetBlock: at };
}

/** Lays two files down in turn. @returns where each stands, and the file of both. */
function layInTurn(files: readonly ImageFile[], data: Area, { path, of, pieceBytes }: NonNullable<ImageOptions['interleaved']>) {
  const laid = new Map<string, { block: number; bytes: number }[]>([[path, []], ...of.map((name) => [name, []] as [string, []])]);
  const parts: Uint8Array[] = [];
  const sources = of.map((name) => ({ name, data: files.find((f) => f.path === name)?.data ?? new Uint8Array(0) }));
  const longest = Math.max(...sources.map((s) => s.data.byteLength));
  for (let at = 0; at < longest; at += pieceBytes)
    for (const { name, data: bytes } of sources) {
      const part = bytes.subarray(at, at + pieceBytes);
      if (part.byteLength === 0) continue;
      const piece = { block: data.reserve(blocksOf(part.byteLength)), bytes: part.byteLength };
      data.put(piece.block, part);
      parts.push(part);
      for (const to of [name, path]) laid.get(to)?.push(piece);
    }
  return { laid, whole: { path, data: Buffer.concat(parts) } };
}

/** Metadata stand in a file of their own, twice; file data in the plain partition. OSTA UDF 2.50 2.2.10 and 2.2.13. */
function layMetadata(
  files: readonly ImageFile[],
  label: string,
  { scattered = false, interleaved }: Omit<ImageOptions, 'kind' | 'label'>,
): Laid {
  const metadata = new Area();
  const data = new Area();
  const [mainEntry, mirrorEntry] = [data.reserve(1), data.reserve(1)];
  const set = metadata.reserve(1);
  const turns = interleaved && layInTurn(files, data, interleaved);
  const all = turns ? [...files, turns.whole] : files;
  const root = writeTree(treeOf(all), metadata, data, { entries: 1, data: 0 }, null, turns?.laid);
  metadata.put(set, fileSet(root.icb, 1, label));
  metadata.reserve(ALLOCATION_UNIT - (metadata.blocks.length % ALLOCATION_UNIT));
  const whole = Buffer.concat(metadata.blocks);
  for (const [entry, type] of [
    [mainEntry, 250],
    [mirrorEntry, 251],
  ] as const) {
    const list = placeData(data, whole, type === 250 && scattered ? ALLOCATION_UNIT : 0);
    data.put(entry, fileEntry(entry, false, type, { bytes: whole.byteLength, list, partition: 0, short: true }));
  }
  const map = typedMap('*UDF Metadata Partition')
    .u32(40, mainEntry)
    .u32(44, mirrorEntry)
    .u32(48, 0xffffffff)
    .u32(52, ALLOCATION_UNIT)
    .u16(56, 1)
    .u8(58, 1);
  return { partition: data, maps: Buffer.concat([plainMap(), map.bytes]), mapCount: 2, fileSetPartition: 1, fileSetBlock: set };
}

/** Defective packets lie at the end of the disc instead; their own places hold rubbish. OSTA UDF 2.2.9. */
function laySparable(
  files: readonly ImageFile[],
  label: string,
  spared: readonly number[],
): { laid: Laid; table: Uint8Array; spares: Uint8Array[] } {
  const { partition } = layPlain(files, label);
  while (partition.blocks.length % PACKET_BLOCKS !== 0) partition.reserve(1);
  const spareStart = PARTITION_START + partition.blocks.length;
  const table = new Block().entity(16, '*UDF Sparing Table').u16(48, spared.length).u32(52, 1);
  const spares: Uint8Array[] = [];
  for (const [i, packet] of spared.entries()) {
    table.u32(56 + i * 8, packet * PACKET_BLOCKS).u32(60 + i * 8, spareStart + i * PACKET_BLOCKS);
    for (let b = 0; b < PACKET_BLOCKS; b++) {
      const block = partition.blocks[packet * PACKET_BLOCKS + b] as Uint8Array;
      spares.push(block.slice());
      block.fill(0xdd);
    }
  }
  const map = typedMap('*UDF Sparable Partition').u16(40, PACKET_BLOCKS).u8(42, 2).u32(44, SECTOR).u32(48, 290).u32(52, 291);
  return { laid: { partition, maps: map.bytes, mapCount: 1, fileSetPartition: 0, fileSetBlock: 0 }, table: table.tag(0, 0).bytes, spares };
}

/** Every structure is named by a number that a table at the very end translates. OSTA UDF 2.01 2.2.8 and 2.2.11. */
function layVirtual(files: readonly ImageFile[], label: string): Laid {
  const entries = new Area();
  const data = new Area();
  const set = entries.reserve(1);
  const root = writeTree(treeOf(files), entries, data, { entries: 1, data: 0 }, null);
  entries.put(set, fileSet(root.icb, 1, label));
  // Virtual blocks are put down in reverse, to be found by the table alone.
  const places = entries.blocks.map(() => data.reserve(1)).reverse();
  entries.blocks.forEach((block, i) => {
    data.put(places[i] as number, block);
  });
  const table = new Block(152 + places.length * 4).u16(0, 152).u32(132, 0xffffffff);
  places.forEach((place, i) => table.u32(152 + i * 4, place));
  const list = placeData(data, table.bytes, 0);
  const icb = data.reserve(1);
  data.put(icb, fileEntry(icb, false, 248, { bytes: table.bytes.byteLength, list, partition: 0 }));
  return {
    partition: data,
    maps: Buffer.concat([plainMap(), typedMap('*UDF Virtual Partition').bytes]),
    mapCount: 2,
    fileSetPartition: 1,
    fileSetBlock: set,
  };
}

function volumeSequence(laid: Laid, label: string, from: number): Uint8Array[] {
  const primary = new Block(512)
    .u32(16, 1)
    .u16(56, 1)
    .u16(58, 1)
    .u16(60, 2)
    .u16(62, 3)
    .u32(64, 1)
    .u32(68, 1)
    .time(376)
    .entity(388, '*Careful Vault demo');
  putDstring(primary, 24, 32, label);
  putDstring(primary, 72, 128, label);
  const logical = new Block(440 + laid.maps.byteLength).u32(16, 2).u32(212, SECTOR).entity(216, '*OSTA UDF Compliant');
  putDstring(logical, 84, 128, label);
  logical.longAd(248, SECTOR, laid.fileSetBlock, laid.fileSetPartition).u32(264, laid.maps.byteLength).u32(268, laid.mapCount);
  logical
    .entity(272, '*Careful Vault demo')
    .u32(432, 8192)
    .u32(436, 64 * SECTOR);
  logical.bytes.set(laid.maps, 440);
  const partition = new Block(512).u32(16, 3).u16(20, 1).u16(22, 0).entity(24, '+NSR03').u32(184, 1);
  partition.u32(188, PARTITION_START).u32(192, laid.partition.blocks.length).entity(196, '*Careful Vault demo');
  return [
    primary.tag(1, from).bytes,
    logical.tag(6, from + 1).bytes,
    partition.tag(5, from + 2).bytes,
    new Block(512).u32(16, 4).tag(7, from + 3).bytes,
    new Block(512).tag(8, from + 4).bytes,
  ];
}

/** Writes an image. */
export function writeUdfImage(files: readonly ImageFile[], { kind, label, spared = [], ...more }: ImageOptions): Uint8Array {
  const sparable = kind === 'sparable' ? laySparable(files, label, spared) : null;
  const laid =
    sparable?.laid ??
    (kind === 'metadata' ? layMetadata(files, label, more) : kind === 'virtual' ? layVirtual(files, label) : layPlain(files, label));
  const spares = sparable?.spares ?? [];
  // A virtual partition's table must be the last thing on the disc: no second anchor then.
  const sectors = PARTITION_START + laid.partition.blocks.length + spares.length + (kind === 'virtual' ? 0 : 1);
  const image = new Uint8Array(sectors * SECTOR);
  const put = (sector: number, bytes: Uint8Array) => {
    image.set(bytes, sector * SECTOR);
  };
  ['BEA01', 'NSR03', 'TEA01'].forEach((name, i) => {
    put(16 + i, new Block(16).text(1, name).u8(6, 1).bytes);
  });
  for (const from of [32, 64])
    volumeSequence(laid, label, from).forEach((block, i) => {
      put(from + i, block);
    });
  const integrity = new Block(138).time(16).u32(28, 1).u32(72, laid.mapCount).u32(76, 46);
  integrity.u32(80 + laid.mapCount * 4, laid.partition.blocks.length);
  put(128, integrity.tag(9, 128).bytes);
  const anchor = (sector: number) =>
    new Block(512)
      .u32(16, 16 * SECTOR)
      .u32(20, 32)
      .u32(24, 16 * SECTOR)
      .u32(28, 64)
      .tag(2, sector).bytes;
  put(256, anchor(256));
  if (kind !== 'virtual') put(sectors - 1, anchor(sectors - 1));
  if (sparable) for (const sector of [290, 291]) put(sector, sparable.table);
  laid.partition.blocks.forEach((block, i) => {
    put(PARTITION_START + i, block);
  });
  spares.forEach((block, i) => {
    put(PARTITION_START + laid.partition.blocks.length + i, block);
  });
  return image;
}
