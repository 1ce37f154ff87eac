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
const SUPPLEMENTARY = 2;
/** Escape sequences of UCS-2 levels 1 to 3: a supplementary volume with these is Joliet. */
const JOLIET = ['%/@', '%/C', '%/E'];
const TERMINATOR = 255;
const FLAG_FOLDER = 0x02;
const FLAG_MORE_EXTENTS = 0x80;

/** Primary or Supplementary Volume Descriptor. ECMA-119 8.4 and 8.5. Both-endian numbers are read in their little-endian half. */
const rawDescriptor = record('Volume Descriptor', SECTOR_BYTES, {
  type: u8(0),
  signature: text(1, 5),
  volumeIdentifier: text(40, 32),
  volumeSpaceSize: u32le(80), // logical blocks
  escapes: text(88, 3), //        supplementary descriptors only
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

type Descriptor = ReturnType<typeof rawDescriptor>;

/** Reads the volume descriptors. @returns the primary one, and that of a Joliet tree where there is one. */
async function readDescriptors(source: ByteSource): Promise<{ readonly primary: Descriptor; readonly joliet: Descriptor | null }> {
  let primary: Descriptor | null = null;
  let joliet: Descriptor | null = null;
  for (let index = 0; index < 64; index++) {
    const byteOffset = DESCRIPTORS_AT + index * SECTOR_BYTES;
    if (byteOffset + SECTOR_BYTES > source.sizeBytes) break;
    const where = { source: source.name, byteOffset, structure: 'Volume Descriptor' };
    const descriptor = rawDescriptor(await readExactly(source, byteOffset, SECTOR_BYTES, 'Volume Descriptor'), where);
    if (descriptor.signature !== 'CD001' || descriptor.type === TERMINATOR) break;
    if (descriptor.type === PRIMARY) primary ??= descriptor;
    if (descriptor.type === SUPPLEMENTARY && JOLIET.includes(descriptor.escapes)) joliet ??= descriptor;
  }
  const where = { source: source.name, byteOffset: DESCRIPTORS_AT, structure: 'Volume Descriptor' };
  if (!primary) throw new DiscError('not-a-disc', where, 'No primary volume descriptor was found');
  if (![512, 1024, 2048].includes(primary.logicalBlockSize)) {
    throw new DiscError('out-of-range', where, `A logical block of ${primary.logicalBlockSize} bytes is not allowed`);
  }
  return { primary, joliet };
}

/** A file identifier without version and without the point that only separates it. */
function nameOf(identifier: Uint8Array, wide: boolean): string {
  let name = '';
  for (let i = 0; i + (wide ? 1 : 0) < identifier.byteLength; i += wide ? 2 : 1) {
    name += String.fromCharCode(wide ? ((identifier[i] ?? 0) << 8) | (identifier[i + 1] ?? 0) : (identifier[i] ?? 0));
  }
  return name.replace(/;\d+$/, '').replace(/\.$/, '');
}

function parseFolder(data: Uint8Array, byteOffset: number, name: string, wide: boolean): Node[] {
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
    const plain = nameOf(identifier, wide);
    const extent = { block: entry.extent, bytes: entry.dataLength };
    const last = nodes[nodes.length - 1];
    if (last && continues && last.name === plain) nodes[nodes.length - 1] = { ...last, extents: [...last.extents, extent] };
    else nodes.push({ name: plain, folder: (entry.flags & FLAG_FOLDER) !== 0, extents: [extent] });
    continues = (entry.flags & FLAG_MORE_EXTENTS) !== 0; // level 3: the next record goes on with this file
  }
  return nodes;
}

/**
 * Opens an ISO 9660 volume as a tree. Where there is a Joliet tree beside the plain one, its names are the whole ones and
 * it is taken; where that is bad, the plain one serves.
 * Spec: ECMA-119, clauses 8.4, 8.5 and 9.1; Joliet as clause 8.5.6 announces it.
 * @throws DiscError `not-a-disc`, `ended-early`, `out-of-range`.
 */
export async function openIso9660(disc: ByteSource): Promise<Volume> {
  const source = cachedSource(disc);
  const { primary, joliet } = await readDescriptors(source);
  const blockBytes = primary.logicalBlockSize;
  const folders = new Map<number, readonly Node[]>();

  const readFolder = async (node: Node, wide: boolean): Promise<readonly Node[]> => {
    const extent = node.extents[0];
    if (!extent) return [];
    const known = folders.get(extent.block);
    if (known) return known;
    const at = extent.block * blockBytes;
    if (extent.bytes > MAX_FOLDER_BYTES) {
      throw new DiscError('out-of-range', { source: source.name, byteOffset: at }, `A folder says that it is ${extent.bytes} bytes long`);
    }
    const nodes = parseFolder(await readExactly(source, at, extent.bytes, 'folder'), at, source.name, wide);
    folders.set(extent.block, nodes);
    return nodes;
  };
  const rootOf = (descriptor: Descriptor): Node => {
    const record = rawDirectoryRecord(descriptor.rootRecord, {
      source: source.name,
      byteOffset: DESCRIPTORS_AT,
      structure: 'Directory Record',
    });
    return { name: '', folder: true, extents: [{ block: record.extent, bytes: record.dataLength }] };
  };
  const wide =
    joliet !== null &&
    (await readFolder(rootOf(joliet), true).then(
      (found) => found.length > 0,
      (error: unknown) => {
        if (error instanceof DiscError) return false;
        throw error;
      },
    ));
  const root = rootOf(wide && joliet ? joliet : primary);
  const children = (node: Node) => readFolder(node, wide);
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
    label: primary.volumeIdentifier.trim(),
    name: source.name,
    sizeBytes: source.sizeBytes,
    promisedBytes: primary.volumeSpaceSize * blockBytes,
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
