import {
  DiscError,
  cachedSource,
  memorySource,
  part,
  raw,
  readExactly,
  record,
  u16le,
  u32le,
  u64le,
  u8,
  type ByteSource,
  type Extent,
  type Where,
} from '../bytes';
import { discFile } from './iso9660';
import { MAX_DEPTH, MAX_FOLDER_BYTES, SECTOR_BYTES, pathParts, sameName, type Volume, type VolumeEntry, type VolumeFile } from './volume';

/** Descriptor tag identifiers. ECMA-167 3/7.2.1 and 4/7.2.1. */
const TAG = {
  anchor: 2,
  partition: 5,
  logicalVolume: 6,
  terminating: 8,
  fileSet: 256,
  fileIdentifier: 257,
  fileEntry: 261,
  extendedFileEntry: 266,
} as const;

const rawTag = record('Descriptor Tag', 16, { identifier: u16le(0), checksum: u8(4), location: u32le(12) });
/** Anchor Volume Descriptor Pointer. ECMA-167 3/10.2. */
const rawAnchor = record('Anchor Volume Descriptor Pointer', 32, {
  mainLength: u32le(16),
  mainLocation: u32le(20),
  reserveLength: u32le(24),
  reserveLocation: u32le(28),
});
/** Partition Descriptor. ECMA-167 3/10.5. */
const rawPartition = record('Partition Descriptor', 196, { number: u16le(22), start: u32le(188), length: u32le(192) });
/** Logical Volume Descriptor. ECMA-167 3/10.6. */
const rawLogicalVolume = record('Logical Volume Descriptor', 440, {
  identifier: raw(84, 128),
  blockBytes: u32le(212),
  revision: u16le(240),
  fileSet: raw(248, 16),
  mapTableLength: u32le(264),
  mapCount: u32le(268),
});
/** long_ad. ECMA-167 4/14.14.2. */
const rawLongAd = record('long_ad', 16, { length: u32le(0), block: u32le(4), partition: u16le(8) });
const rawShortAd = record('short_ad', 8, { length: u32le(0), block: u32le(4) });
/** File Set Descriptor. ECMA-167 4/14.1. */
const rawFileSet = record('File Set Descriptor', 416, { rootIcb: raw(400, 16) });
/** File Entry. ECMA-167 4/14.9. */
const rawFileEntry = record('File Entry', 176, {
  fileType: u8(27),
  icbFlags: u16le(34),
  informationLength: u64le(56),
  attributesLength: u32le(168),
  descriptorsLength: u32le(172),
});
/** Extended File Entry. ECMA-167 4/14.17. */
const rawExtendedFileEntry = record('Extended File Entry', 216, {
  fileType: u8(27),
  icbFlags: u16le(34),
  informationLength: u64le(56),
  attributesLength: u32le(208),
  descriptorsLength: u32le(212),
});
/** File Identifier Descriptor. ECMA-167 4/14.4. */
const rawFileIdentifier = record('File Identifier Descriptor', 38, {
  characteristics: u8(18),
  identifierLength: u8(19),
  icb: raw(20, 16),
  implementationLength: u16le(36),
});

const FILE_TYPE_FOLDER = 4;
const MAX_ALLOCATION_DESCRIPTORS = 16384;
const MAX_CONTINUATIONS = 64;

type IcbAddress = { readonly block: number; readonly partition: number; readonly length: number };
interface Entry {
  readonly folder: boolean;
  readonly sizeBytes: number;
  /** Null where the data stand inside the entry itself. */
  readonly extents: readonly Extent[] | null;
  readonly embedded: Uint8Array;
}
interface Child {
  readonly name: string;
  readonly folder: boolean;
  readonly icb: IcbAddress;
}

/** Reads an OSTA compressed Unicode string (UDF 2.1.1): first byte 8 or 16 bits a character. */
function dstring(data: Uint8Array): string {
  const wide = data[0] === 16;
  let result = '';
  for (let i = 1; i + (wide ? 1 : 0) < data.length; i += wide ? 2 : 1) {
    const code = wide ? ((data[i] ?? 0) << 8) | (data[i + 1] ?? 0) : (data[i] ?? 0);
    result += String.fromCharCode(code);
  }
  return result;
}

function checkedTag(data: Uint8Array, where: Where, expected: number | null): number {
  const tag = rawTag(data, where);
  let sum = 0;
  for (let i = 0; i < 16; i++) if (i !== 4) sum = (sum + (data[i] ?? 0)) & 0xff;
  if (sum !== tag.checksum || (expected !== null && tag.identifier !== expected)) {
    throw new DiscError(
      'bad-signature',
      where,
      `Descriptor ${String(tag.identifier)} found where ${String(expected ?? 'another')} was expected, or its checksum is wrong`,
    );
  }
  return tag.identifier;
}

/** @returns true where a volume recognition sequence names NSR02 or NSR03 (ECMA-167 3/9.1). */
export async function isUdf(source: ByteSource): Promise<boolean> {
  for (let sector = 16; sector < 32; sector++) {
    const head = new Uint8Array(6);
    if ((await source.read(sector * SECTOR_BYTES, head)) < 6) return false;
    const name = String.fromCharCode(...head.subarray(1, 6));
    if (name === 'NSR02' || name === 'NSR03') return true;
    if (!['CD001', 'BEA01', 'TEA01', 'BOOT2'].includes(name)) return false;
  }
  return false;
}

async function readAnchor(source: ByteSource) {
  const lastSector = Math.floor(source.sizeBytes / SECTOR_BYTES) - 1;
  for (const sector of [256, lastSector - 256, lastSector]) {
    if (sector < 0) continue;
    const where = { source: source.name, byteOffset: sector * SECTOR_BYTES, structure: 'Anchor Volume Descriptor Pointer' };
    try {
      const data = await readExactly(source, where.byteOffset, SECTOR_BYTES, where.structure);
      checkedTag(data, where, TAG.anchor);
      return rawAnchor(data, where);
    } catch (error) {
      if (!(error instanceof DiscError)) throw error;
    }
  }
  throw new DiscError(
    'bad-structure',
    { source: source.name, byteOffset: 256 * SECTOR_BYTES },
    'No UDF anchor was found at any of its three places',
  );
}

async function readVolumeDescriptors(source: ByteSource, location: number, length: number) {
  const partitions = new Map<number, { start: number; length: number }>();
  let volume: ReturnType<typeof rawLogicalVolume> | null = null;
  const count = Math.min(Math.floor(length / SECTOR_BYTES), 64);
  for (let i = 0; i < count; i++) {
    const where = { source: source.name, byteOffset: (location + i) * SECTOR_BYTES, structure: 'Volume Descriptor Sequence' };
    const data = await readExactly(source, where.byteOffset, SECTOR_BYTES, where.structure);
    const identifier = checkedTag(data, where, null);
    if (identifier === TAG.terminating) break;
    if (identifier === TAG.partition) {
      const p = rawPartition(data, where);
      partitions.set(p.number, { start: p.start, length: p.length });
    }
    if (identifier === TAG.logicalVolume) volume = rawLogicalVolume(data, where);
  }
  if (!volume || partitions.size === 0) {
    throw new DiscError(
      'bad-structure',
      { source: source.name, byteOffset: location * SECTOR_BYTES },
      'The UDF volume descriptors name no volume or no partition',
    );
  }
  return { partitions, volume };
}

/**
 * Opens a UDF volume with plain (type 1) partitions as a tree: what DVD-Video uses (UDF 1.02).
 * Spec: ECMA-167 parts 3 and 4; OSTA UDF 1.02.
 * @throws DiscError `bad-structure`, `bad-signature`, `ended-early`, `out-of-range`, `unsupported`.
 */
export async function openUdf(disc: ByteSource): Promise<Volume> {
  const source = cachedSource(disc);
  const anchor = await readAnchor(source);
  let sequence;
  try {
    sequence = await readVolumeDescriptors(source, anchor.mainLocation, anchor.mainLength);
  } catch (error) {
    if (!(error instanceof DiscError)) throw error;
    sequence = await readVolumeDescriptors(source, anchor.reserveLocation, anchor.reserveLength);
  }
  const { partitions, volume } = sequence;
  if (volume.blockBytes !== SECTOR_BYTES) {
    throw new DiscError(
      'unsupported',
      { source: source.name, byteOffset: 0, structure: 'Logical Volume Descriptor' },
      `A UDF block of ${String(volume.blockBytes)} bytes is not supported`,
    );
  }
  const firstPartition = [...partitions.values()][0] ?? { start: 0, length: 0 };
  const address = (block: number, partition: number): number =>
    ((partitions.get(partition) ?? firstPartition).start + block) * SECTOR_BYTES;
  const icbAddress = (data: Uint8Array, where: Where): IcbAddress => {
    const ad = rawLongAd(data, where);
    return { block: ad.block, partition: ad.partition, length: ad.length & 0x3fffffff };
  };

  const readEntry = async (icb: IcbAddress): Promise<Entry> => {
    const where = { source: source.name, byteOffset: address(icb.block, icb.partition), structure: 'File Entry' };
    const data = await readExactly(source, where.byteOffset, SECTOR_BYTES, where.structure);
    const extended = checkedTag(data, where, null) === TAG.extendedFileEntry;
    if (!extended) checkedTag(data, where, TAG.fileEntry);
    const entry = extended ? rawExtendedFileEntry(data, where) : rawFileEntry(data, where);
    const descriptors = part(data, (extended ? 216 : 176) + entry.attributesLength, entry.descriptorsLength, where);
    const common = { folder: entry.fileType === FILE_TYPE_FOLDER, sizeBytes: entry.informationLength };
    const kind = entry.icbFlags & 7;
    if (kind === 3) return { ...common, extents: null, embedded: descriptors.slice(0, entry.informationLength) };
    if (kind > 1) throw new DiscError('unsupported', where, `Allocation descriptors of kind ${String(kind)} are not used on discs`);
    return {
      ...common,
      extents: await readExtents(descriptors, kind, icb.partition, entry.informationLength, where),
      embedded: new Uint8Array(0),
    };
  };

  const readExtents = async (first: Uint8Array, kind: number, partition: number, sizeBytes: number, where: Where): Promise<Extent[]> => {
    const extents: Extent[] = [];
    let left = sizeBytes;
    let descriptors = first;
    const step = kind === 0 ? 8 : 16;
    for (let continuation = 0; continuation < MAX_CONTINUATIONS; continuation++) {
      let next: Uint8Array | null = null;
      for (let at = 0; at + step <= descriptors.byteLength && left > 0; at += step) {
        const bytes = descriptors.subarray(at, at + step);
        const ad = kind === 0 ? { ...rawShortAd(bytes, where), partition } : rawLongAd(bytes, where);
        const type = ad.length >>> 30;
        const length = ad.length & 0x3fffffff;
        if (length === 0) break;
        if (type === 3) {
          // continuation: an Allocation Extent Descriptor (ECMA-167 4/14.5)
          const block = await readExactly(source, address(ad.block, ad.partition), SECTOR_BYTES, 'Allocation Extent Descriptor');
          const bytesInside = new DataView(block.buffer, block.byteOffset).getUint32(20, true);
          next = part(block, 24, bytesInside, where);
          break;
        }
        const taken = Math.min(length, left);
        extents.push({ source: disc, offset: address(ad.block, ad.partition), length: taken });
        left -= taken;
        if (extents.length > MAX_ALLOCATION_DESCRIPTORS)
          throw new DiscError('out-of-range', where, 'A file has more extents than is believable');
      }
      if (!next) break;
      descriptors = next;
    }
    return extents;
  };

  const fileOf = (entry: Entry, name: string): VolumeFile =>
    entry.extents ? discFile(name, entry.extents) : { ...memorySource(name, entry.embedded), firstSector: null, contiguous: true };

  const folders = new Map<number, readonly Child[]>();
  const children = async (icb: IcbAddress): Promise<readonly Child[]> => {
    const key = address(icb.block, icb.partition);
    const known = folders.get(key);
    if (known) return known;
    const entry = await readEntry(icb);
    if (entry.sizeBytes > MAX_FOLDER_BYTES)
      throw new DiscError(
        'out-of-range',
        { source: source.name, byteOffset: key },
        `A folder says that it is ${String(entry.sizeBytes)} bytes long`,
      );
    const data = await readExactly(fileOf(entry, `${source.name} folder`), 0, entry.sizeBytes, 'folder');
    const found: Child[] = [];
    for (let at = 0; at + 38 <= data.byteLength;) {
      const where = { source: source.name, byteOffset: key + at, structure: 'File Identifier Descriptor' };
      const bytes = data.subarray(at);
      checkedTag(bytes, where, TAG.fileIdentifier);
      const id = rawFileIdentifier(bytes, where);
      const nameAt = 38 + id.implementationLength;
      const name = part(bytes, nameAt, id.identifierLength, where);
      const isParent = (id.characteristics & 8) !== 0;
      const isDeleted = (id.characteristics & 4) !== 0;
      if (!isParent && !isDeleted)
        found.push({ name: dstring(name), folder: (id.characteristics & 2) !== 0, icb: icbAddress(id.icb, where) });
      at += (nameAt + id.identifierLength + 3) & ~3;
    }
    folders.set(key, found);
    return found;
  };

  const fileSetIcb = icbAddress(volume.fileSet, { source: source.name, byteOffset: 0, structure: 'Logical Volume Descriptor' });
  const fileSetAt = { source: source.name, byteOffset: address(fileSetIcb.block, fileSetIcb.partition), structure: 'File Set Descriptor' };
  const fileSet = await readExactly(source, fileSetAt.byteOffset, SECTOR_BYTES, fileSetAt.structure);
  checkedTag(fileSet, fileSetAt, TAG.fileSet);
  const root = icbAddress(rawFileSet(fileSet, fileSetAt).rootIcb, fileSetAt);

  const find = async (path: string): Promise<Child | null> => {
    let node: Child = { name: '', folder: true, icb: root };
    const parts = pathParts(path);
    if (parts.length > MAX_DEPTH) return null;
    for (const name of parts) {
      const next: Child | undefined = node.folder ? (await children(node.icb)).find((c) => sameName(c.name, name)) : undefined;
      if (!next) return null;
      node = next;
    }
    return node;
  };
  // A read of the root now: a volume whose root can not be read is refused at once, and another file system may be tried.
  await children(root);

  return {
    fileSystem: 'UDF',
    label: dstring(volume.identifier.subarray(0, Math.min(127, volume.identifier[127] ?? 0)))
      .replace(/\0+$/, '')
      .trim(),
    name: source.name,
    sizeBytes: source.sizeBytes,
    promisedBytes: Math.max(...[...partitions.values()].map((p) => p.start + p.length)) * SECTOR_BYTES,
    list: async (path) => {
      const node = await find(path);
      if (!node?.folder) return null;
      const found = await children(node.icb);
      const entries: VolumeEntry[] = [];
      for (const child of found) {
        entries.push({
          name: child.name,
          kind: child.folder ? 'folder' : 'file',
          sizeBytes: child.folder ? 0 : (await readEntry(child.icb)).sizeBytes,
        });
      }
      return entries;
    },
    open: async (path) => {
      const node = await find(path);
      return !node || node.folder ? null : fileOf(await readEntry(node.icb), `${source.name}/${path}`);
    },
  };
}
