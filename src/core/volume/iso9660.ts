import {
  DiscError,
  cachedSource,
  extentSource,
  part,
  raw,
  readExactly,
  record,
  text,
  u16le,
  u32le,
  u8,
  type ByteSource,
  type Extent,
} from '../bytes';
import { MAX_DEPTH, MAX_FOLDER_BYTES, SECTOR_BYTES, pathParts, sameName, type Volume, type VolumeEntry, type VolumeFile } from './volume';

const DESCRIPTORS_AT = 16 * SECTOR_BYTES;
const PRIMARY = 1;
const TERMINATOR = 255;
const FLAG_FOLDER = 0x02;
const FLAG_MORE_EXTENTS = 0x80;

/** Primary Volume Descriptor. ECMA-119 8.4. Both-endian numbers are read in their little-endian half. */
const rawPrimary = record('Primary Volume Descriptor', SECTOR_BYTES, {
  type: u8(0),
  signature: text(1, 5),
  volumeIdentifier: text(40, 32),
  volumeSpaceSize: u32le(80), // logical blocks
  logicalBlockSize: u16le(128), // bytes
  rootRecord: raw(156, 34),
});

/** Directory Record, its fixed part. ECMA-119 9.1. */
const rawDirectoryRecord = record('Directory Record', 33, {
  length: u8(0),
  extent: u32le(2), // logical block
  dataLength: u32le(10), // bytes
  flags: u8(25),
  identifierLength: u8(32),
});

interface Node {
  readonly name: string;
  readonly folder: boolean;
  readonly extents: readonly { readonly block: number; readonly bytes: number }[];
}

/** @returns true where the source carries an ISO 9660 descriptor. */
export async function isIso9660(source: ByteSource): Promise<boolean> {
  const head = new Uint8Array(6);
  const got = await source.read(DESCRIPTORS_AT, head);
  return got === 6 && String.fromCharCode(...head.subarray(1)) === 'CD001';
}

async function readPrimary(source: ByteSource) {
  for (let index = 0; index < 64; index++) {
    const byteOffset = DESCRIPTORS_AT + index * SECTOR_BYTES;
    const where = { source: source.name, byteOffset, structure: 'Volume Descriptor' };
    const sector = await readExactly(source, byteOffset, SECTOR_BYTES, 'Volume Descriptor');
    const descriptor = rawPrimary(sector, where);
    if (descriptor.signature !== 'CD001' || descriptor.type === TERMINATOR) break;
    if (descriptor.type === PRIMARY) return { descriptor, where };
  }
  throw new DiscError('not-a-disc', { source: source.name, byteOffset: DESCRIPTORS_AT }, 'No primary volume descriptor was found');
}

function parseFolder(data: Uint8Array, byteOffset: number, name: string): Node[] {
  const nodes: Node[] = [];
  let continues = false;
  for (let at = 0; at < data.byteLength;) {
    const length = data[at] ?? 0;
    if (length === 0) {
      at = (Math.floor(at / SECTOR_BYTES) + 1) * SECTOR_BYTES; // records do not cross sectors; the rest is padding
      continue;
    }
    const where = { source: name, byteOffset: byteOffset + at, structure: 'Directory Record' };
    const bytes = part(data, at, Math.max(length, 33), where);
    const entry = rawDirectoryRecord(bytes, where);
    const identifier = part(bytes, 33, entry.identifierLength, where);
    at += length;
    if (entry.identifierLength === 1 && (identifier[0] ?? 0) <= 1) continue; // the folder itself, and its parent
    const plain = String.fromCharCode(...identifier)
      .replace(/;\d+$/, '')
      .replace(/\.$/, '');
    const extent = { block: entry.extent, bytes: entry.dataLength };
    const last = nodes[nodes.length - 1];
    if (last && continues && last.name === plain) nodes[nodes.length - 1] = { ...last, extents: [...last.extents, extent] };
    else nodes.push({ name: plain, folder: (entry.flags & FLAG_FOLDER) !== 0, extents: [extent] });
    continues = (entry.flags & FLAG_MORE_EXTENTS) !== 0; // level 3: the next record goes on with this file
  }
  return nodes;
}

/**
 * Opens an ISO 9660 volume as a tree.
 * Spec: ECMA-119, clauses 8.4 and 9.1.
 * @throws DiscError `not-a-disc`, `ended-early`, `out-of-range`.
 */
export async function openIso9660(disc: ByteSource): Promise<Volume> {
  const source = cachedSource(disc);
  const { descriptor, where } = await readPrimary(source);
  const blockBytes = descriptor.logicalBlockSize;
  if (![512, 1024, 2048].includes(blockBytes)) {
    throw new DiscError('out-of-range', where, `A logical block of ${String(blockBytes)} bytes is not allowed`);
  }
  const rootRecord = rawDirectoryRecord(descriptor.rootRecord, where);
  const root: Node = { name: '', folder: true, extents: [{ block: rootRecord.extent, bytes: rootRecord.dataLength }] };
  const folders = new Map<number, readonly Node[]>();

  const children = async (node: Node): Promise<readonly Node[]> => {
    const extent = node.extents[0];
    if (!extent) return [];
    const known = folders.get(extent.block);
    if (known) return known;
    const at = extent.block * blockBytes;
    if (extent.bytes > MAX_FOLDER_BYTES) {
      throw new DiscError(
        'out-of-range',
        { source: source.name, byteOffset: at },
        `A folder says that it is ${String(extent.bytes)} bytes long`,
      );
    }
    const nodes = parseFolder(await readExactly(source, at, extent.bytes, 'folder'), at, source.name);
    folders.set(extent.block, nodes);
    return nodes;
  };
  const find = async (path: string): Promise<Node | null> => {
    let node: Node = root;
    const parts = pathParts(path);
    if (parts.length > MAX_DEPTH) return null;
    for (const name of parts) {
      const next: Node | undefined = node.folder ? (await children(node)).find((n) => sameName(n.name, name)) : undefined;
      if (!next) return null;
      node = next;
    }
    return node;
  };
  const sizeOf = (node: Node) => node.extents.reduce((sum, e) => sum + e.bytes, 0);

  return {
    fileSystem: 'ISO 9660',
    label: descriptor.volumeIdentifier.trim(),
    name: source.name,
    sizeBytes: source.sizeBytes,
    promisedBytes: descriptor.volumeSpaceSize * blockBytes,
    remarks: [],
    list: async (path) => {
      const node = await find(path);
      if (!node?.folder) return null;
      return (await children(node)).map((n): VolumeEntry => ({ name: n.name, kind: n.folder ? 'folder' : 'file', sizeBytes: sizeOf(n) }));
    },
    open: async (path) => {
      const node = await find(path);
      if (!node || node.folder) return null;
      const extents: Extent[] = node.extents.map((e) => ({ source: disc, offset: e.block * blockBytes, length: e.bytes }));
      return discFile(`${source.name}/${path}`, extents);
    },
  };
}

/** A file made of extents of an image, with its place on the disc. */
export function discFile(name: string, extents: readonly Extent[]): VolumeFile {
  let contiguous = true;
  let end: number | null = null;
  for (const extent of extents) {
    if (end !== null && extent.offset !== end) contiguous = false;
    end = extent.offset + extent.length;
  }
  const first = extents[0];
  return { ...extentSource(name, extents), firstSector: first ? Math.floor(first.offset / SECTOR_BYTES) : null, contiguous };
}
