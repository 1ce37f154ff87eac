import {
  DiscError,
  cachedSource,
  extentSource,
  memorySource,
  part,
  readExactly,
  type ByteSource,
  type Extent,
  type Where,
} from '../../bytes';
import { discFile } from '../iso9660';
import {
  MAX_DEPTH,
  MAX_FOLDER_BYTES,
  SECTOR_BYTES,
  pathParts,
  type Volume,
  type VolumeEntry,
  type VolumeFile,
  type VolumeRemark,
} from '../volume';
import {
  TAG,
  checkedTag,
  dstring,
  parseLongAd,
  rawAnchor,
  rawFileIdentifier,
  rawFileSet,
  rawLogicalVolume,
  rawPartition,
  type LongAd,
} from './descriptors';
import { Entries, type Entry } from './entries';
import { fileSpace, parsePartitionMaps, plainSpace, sparableSpace, virtualSpace, type PartitionMap, type Space } from './spaces';
import { readAllocationTable } from './virtual';

interface Child {
  readonly name: string;
  readonly folder: boolean;
  readonly icb: LongAd;
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

interface Descriptors {
  /** Partitions by their number: first sector and length. */
  readonly partitions: ReadonlyMap<number, { readonly start: number; readonly length: number }>;
  readonly volume: ReturnType<typeof rawLogicalVolume>;
  readonly maps: readonly PartitionMap[];
}

async function readVolumeDescriptors(source: ByteSource, location: number, length: number): Promise<Descriptors> {
  const partitions = new Map<number, { start: number; length: number }>();
  let found: Pick<Descriptors, 'volume' | 'maps'> | null = null;
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
    if (identifier === TAG.logicalVolume) found = { volume: rawLogicalVolume(data, where), maps: parsePartitionMaps(data, where) };
  }
  if (!found || partitions.size === 0 || found.maps.length === 0) {
    throw new DiscError(
      'bad-structure',
      { source: source.name, byteOffset: location * SECTOR_BYTES },
      'The UDF volume descriptors name no volume or no partition',
    );
  }
  if (found.volume.blockBytes !== SECTOR_BYTES) {
    throw new DiscError(
      'unsupported',
      { source: source.name, byteOffset: 0, structure: 'Logical Volume Descriptor' },
      `A UDF block of ${found.volume.blockBytes} bytes is not supported`,
    );
  }
  return { partitions, ...found };
}

/** The sequence is written twice; the reserve serves where the main one is bad. */
async function readEitherSequence(source: ByteSource): Promise<Descriptors> {
  const anchor = await readAnchor(source);
  try {
    return await readVolumeDescriptors(source, anchor.mainLocation, anchor.mainLength);
  } catch (error) {
    if (!(error instanceof DiscError)) throw error;
    return readVolumeDescriptors(source, anchor.reserveLocation, anchor.reserveLength);
  }
}

/** Gives each partition map its space. @param metadata which of the two copies of the metadata file to use. */
async function makeSpaces(
  disc: ByteSource,
  structures: ByteSource,
  { partitions, maps }: Descriptors,
  metadata: 'main' | 'mirror',
): Promise<Space[]> {
  const cached = (extents: readonly Extent[]) => structuresOf(disc, structures, extents);
  const startOf = (map: PartitionMap): number => {
    const partition = partitions.get(map.partition);
    if (partition) return partition.start;
    throw new DiscError(
      'bad-structure',
      { source: disc.name, byteOffset: 0, structure: 'Partition Map' },
      `There is no partition ${map.partition}`,
    );
  };
  const physical = (map: PartitionMap): Promise<Space> | Space =>
    map.kind === 'sparable' ? sparableSpace(disc, structures, startOf(map), map) : plainSpace(disc, startOf(map));
  const spaces: Space[] = [];
  for (const map of maps) {
    if (map.kind === 'virtual') {
      spaces.push(virtualSpace(disc, startOf(map), await readAllocationTable(disc, startOf(map), cached)));
    } else if (map.kind === 'metadata') {
      const under = maps.find((m) => m.partition === map.partition && m.kind !== 'metadata') ?? { kind: 'plain', partition: map.partition };
      const entries = new Entries(disc.name, [await physical(under)], cached);
      const block = metadata === 'main' ? map.main : map.mirror;
      spaces.push(fileSpace(disc, (await entries.read({ block, partition: 0, bytes: SECTOR_BYTES, kind: 0 })).extents ?? []));
    } else spaces.push(await physical(map));
  }
  return spaces;
}

/** The same extents, read through the memory for structures. */
function structuresOf(disc: ByteSource, structures: ByteSource, extents: readonly Extent[]): ByteSource {
  return extentSource(
    disc.name,
    extents.map((e) => (e.source === disc ? { ...e, source: structures } : e)),
  );
}

/** Entries of files that are kept once read. */
const MOST_KNOWN = 20_000;

/** Folders of a mounted volume, each read once. */
class Tree {
  private readonly folders = new Map<string, readonly Child[]>();
  private readonly names = new WeakMap<readonly Child[], Map<string, Child>>();
  private readonly known = new Map<string, Entry>();
  constructor(
    private readonly name: string,
    private readonly entries: Entries,
    private readonly root: LongAd,
    private readonly structures: (extents: readonly Extent[]) => ByteSource,
    /** Another copy of the same tree, for what can not be read in this one. */
    private readonly mirror: ((error: DiscError) => Promise<Tree>) | null,
  ) {}

  /** Reads from this tree, or where that fails from its mirror. @throws the first error where both fail. */
  private async either<T>(read: () => Promise<T>, other: (mirror: Tree) => Promise<T>): Promise<T> {
    try {
      return await read();
    } catch (error) {
      if (!(error instanceof DiscError) || !this.mirror) throw error;
      try {
        return await other(await this.mirror(error));
      } catch (second) {
        throw second instanceof DiscError ? error : second;
      }
    }
  }

  children(icb: LongAd): Promise<readonly Child[]> {
    return this.either(
      () => this.readFolder(icb),
      (mirror) => mirror.children(icb),
    );
  }

  async read(child: Child): Promise<Entry> {
    const key = `${child.icb.partition}/${child.icb.block}`;
    const known = this.known.get(key);
    if (known) return known;
    const entry = await this.either(
      () => this.entries.read(child.icb),
      (mirror) => mirror.read(child),
    );
    if (this.known.size < MOST_KNOWN) this.known.set(key, entry);
    return entry;
  }

  /** Looks a name up without regard to case; a folder with a thousand files is gone through once. */
  private named(children: readonly Child[], name: string): Child | undefined {
    let names = this.names.get(children);
    if (!names) {
      names = new Map();
      for (const child of children) {
        const key = child.name.toUpperCase();
        if (!names.has(key)) names.set(key, child);
      }
      this.names.set(children, names);
    }
    return names.get(name.toUpperCase());
  }

  private async readFolder(icb: LongAd): Promise<readonly Child[]> {
    const key = `${icb.partition}/${icb.block}`;
    const known = this.folders.get(key);
    if (known) return known;
    const entry = await this.entries.read(icb);
    const where = { source: this.name, byteOffset: 0, structure: 'File Identifier Descriptor' };
    if (entry.sizeBytes > MAX_FOLDER_BYTES)
      throw new DiscError('out-of-range', where, `A folder says that it is ${entry.sizeBytes} bytes long`);
    const data = entry.extents ? await readExactly(this.structures(entry.extents), 0, entry.sizeBytes, 'folder') : entry.embedded;
    const found = parseFolder(data, { ...where, byteOffset: entry.extents?.[0]?.offset ?? 0 });
    this.folders.set(key, found);
    return found;
  }

  async find(path: string): Promise<Child | null> {
    let node: Child = { name: '', folder: true, icb: this.root };
    const parts = pathParts(path);
    if (parts.length > MAX_DEPTH) return null;
    for (const name of parts) {
      const next: Child | undefined = node.folder ? this.named(await this.children(node.icb), name) : undefined;
      if (!next) return null;
      node = next;
    }
    return node;
  }
}

function parseFolder(data: Uint8Array, from: Where): Child[] {
  const found: Child[] = [];
  for (let at = 0; at + 38 <= data.byteLength;) {
    const where = { ...from, byteOffset: from.byteOffset + at };
    const bytes = data.subarray(at);
    checkedTag(bytes, where, TAG.fileIdentifier);
    const id = rawFileIdentifier(bytes, where);
    const nameAt = 38 + id.implementationLength;
    const name = part(bytes, nameAt, id.identifierLength, where);
    const isParent = (id.characteristics & 8) !== 0;
    const isDeleted = (id.characteristics & 4) !== 0;
    if (!isParent && !isDeleted)
      found.push({ name: dstring(name), folder: (id.characteristics & 2) !== 0, icb: parseLongAd(id.icb, where) });
    at += (nameAt + id.identifierLength + 3) & ~3;
  }
  return found;
}

/** Mounts one copy of the volume's directory. @param mirror the other copy; null where there is none. */
async function mount(
  disc: ByteSource,
  structures: ByteSource,
  descriptors: Descriptors,
  metadata: 'main' | 'mirror',
  mirror: ((error: DiscError) => Promise<Tree>) | null,
): Promise<Tree> {
  const cached = (extents: readonly Extent[]) => structuresOf(disc, structures, extents);
  const entries = new Entries(disc.name, await makeSpaces(disc, structures, descriptors, metadata), cached);
  const fileSetAd = parseLongAd(descriptors.volume.fileSet, { source: disc.name, byteOffset: 0, structure: 'Logical Volume Descriptor' });
  const { data, where } = await entries.block(fileSetAd, 'File Set Descriptor');
  checkedTag(data, where, TAG.fileSet);
  const root = parseLongAd(rawFileSet(data, where).rootIcb, where);
  const tree = new Tree(disc.name, entries, root, cached, mirror);
  // The root is read now: a volume whose root can not be read is refused at once, and another way to it may be tried.
  await tree.children(root);
  return tree;
}

/**
 * Opens a UDF volume as a tree: revisions 1.02 to 2.60 with plain, sparable, virtual and metadata partitions.
 * What can not be read in the metadata partition's main file is read in its mirror, and the volume says so in its remarks.
 * Spec: ECMA-167 parts 3 and 4; OSTA UDF 1.02, 1.50, 2.01, 2.50, 2.60.
 * @throws DiscError `bad-structure`, `bad-signature`, `ended-early`, `out-of-range`, `unsupported`.
 */
export async function openUdf(disc: ByteSource): Promise<Volume> {
  const structures = cachedSource(disc);
  const descriptors = await readEitherSequence(structures);
  const remarks: VolumeRemark[] = [];
  const hasMirror = descriptors.maps.some((m) => m.kind === 'metadata');
  let mirror: Promise<Tree> | null = null;
  const openMirror = async (error: DiscError): Promise<Tree> => {
    const opened = await (mirror ??= mount(disc, structures, descriptors, 'mirror', null));
    if (remarks.length === 0)
      remarks.push({ code: 'mirror-used', detail: `Part of the directory could not be read, its mirror was used: ${error.message}` });
    return opened;
  };
  const tree = await mount(disc, structures, descriptors, 'main', hasMirror ? openMirror : null).catch(async (error: unknown) => {
    if (!(error instanceof DiscError) || !hasMirror) throw error;
    return openMirror(error).catch((second: unknown) => {
      throw second instanceof DiscError ? error : second;
    });
  });
  const { partitions, volume } = descriptors;
  const fileOf = (entry: Entry, name: string): VolumeFile =>
    entry.extents ? discFile(name, entry.extents) : { ...memorySource(name, entry.embedded), firstSector: null, contiguous: true };
  return {
    fileSystem: 'UDF',
    label: dstring(volume.identifier.subarray(0, Math.min(127, volume.identifier[127] ?? 0)))
      .replace(/\0+$/, '')
      .trim(),
    name: disc.name,
    sizeBytes: disc.sizeBytes,
    promisedBytes: Math.max(...[...partitions.values()].map((p) => p.start + p.length)) * SECTOR_BYTES,
    remarks,
    list: async (path) => {
      const node = await tree.find(path);
      if (!node?.folder) return null;
      const entries: VolumeEntry[] = [];
      for (const child of await tree.children(node.icb)) {
        entries.push({
          name: child.name,
          kind: child.folder ? 'folder' : 'file',
          sizeBytes: child.folder ? 0 : (await tree.read(child)).sizeBytes,
        });
      }
      return entries;
    },
    open: async (path) => {
      const node = await tree.find(path);
      return !node || node.folder ? null : fileOf(await tree.read(node), `${disc.name}/${path}`);
    },
  };
}
