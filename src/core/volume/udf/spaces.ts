import { DiscError, extentSource, part, readExactly, type ByteSource, type Extent, type Where } from '../../bytes';
import { SECTOR_BYTES } from '../volume';
import { MAPS_AT, rawLogicalVolume, rawPlainMap, rawTypedMap } from './descriptors';

/**
 * The blocks of one partition map. What looks like one run of blocks may lie in several places: a defective packet is
 * spared elsewhere, metadata stand in a file of their own.
 */
export interface Space {
  /**
   * Where `bytes` bytes from the start of `block` lie on the disc, in order.
   * @throws DiscError `out-of-range` for blocks that the partition does not have.
   */
  extents(block: number, bytes: number): readonly Extent[];
}

export type PartitionMap =
  | { readonly kind: 'plain'; readonly partition: number }
  | { readonly kind: 'virtual'; readonly partition: number }
  | {
      readonly kind: 'sparable';
      readonly partition: number;
      readonly packetBlocks: number;
      readonly tables: readonly number[];
      readonly tableBytes: number;
    }
  | { readonly kind: 'metadata'; readonly partition: number; readonly main: number; readonly mirror: number };

const MAX_MAPS = 16;

/**
 * Reads the partition maps of a Logical Volume Descriptor.
 * @throws DiscError `unsupported` for a kind that no version of UDF names, `ended-early`, `bad-structure`.
 */
export function parsePartitionMaps(descriptor: Uint8Array, where: Where): PartitionMap[] {
  const { mapCount, mapTableLength } = rawLogicalVolume(descriptor, where);
  const table = part(descriptor, MAPS_AT, Math.min(mapTableLength, descriptor.byteLength - MAPS_AT), where);
  const maps: PartitionMap[] = [];
  for (let at = 0; maps.length < Math.min(mapCount, MAX_MAPS);) {
    const [type = 0, length = 0] = part(table, at, 2, where);
    const bytes = part(table, at, length, where);
    if (length < 2) throw new DiscError('bad-structure', where, 'A partition map has no length');
    at += length;
    maps.push(type === 1 ? { kind: 'plain', partition: rawPlainMap(bytes, where).partition } : typedMap(bytes, where));
  }
  return maps;
}

function typedMap(bytes: Uint8Array, where: Where): PartitionMap {
  const map = rawTypedMap(bytes, where);
  const kind = String.fromCharCode(...map.kind).replace(/\0+$/, '');
  const { partition } = map;
  if (kind === '*UDF Virtual Partition') return { kind: 'virtual', partition };
  if (kind === '*UDF Metadata Partition') return { kind: 'metadata', partition, main: map.metadataFile, mirror: map.metadataMirror };
  if (kind === '*UDF Sparable Partition') {
    const view = new DataView(map.sparingLocations.buffer);
    const tables = Array.from({ length: Math.min(map.sparingTables, 4) }, (_, i) => view.getUint32(i * 4, true));
    return { kind: 'sparable', partition, packetBlocks: map.packetBlocks, tables, tableBytes: map.sparingBytes };
  }
  throw new DiscError('unsupported', where, `A partition of the kind “${kind}” is not known`);
}

const beyond = (source: string, block: number) =>
  new DiscError('out-of-range', { source, byteOffset: 0, structure: 'partition' }, `Block ${block} is not in its partition`);

/** A run of sectors of the disc. */
export function plainSpace(disc: ByteSource, start: number): Space {
  return { extents: (block, bytes) => [{ source: disc, offset: (start + block) * SECTOR_BYTES, length: bytes }] };
}

/** Cuts a run of blocks where `place` leads elsewhere. @param step blocks that always lie together. */
function piecewise(disc: ByteSource, step: number, place: (block: number) => number) {
  return (block: number, bytes: number): Extent[] => {
    const extents: Extent[] = [];
    for (let left = bytes, at = block; left > 0;) {
      const blocks = step - (at % step);
      const length = Math.min(left, blocks * SECTOR_BYTES);
      const offset = place(at) * SECTOR_BYTES;
      const last = extents[extents.length - 1];
      if (last && last.offset + last.length === offset) extents[extents.length - 1] = { ...last, length: last.length + length };
      else extents.push({ source: disc, offset, length });
      at += blocks;
      left -= length;
    }
    return extents;
  };
}

const DEFECTIVE_PACKETS_FROM = 0xfffffff0;
const MAX_SPARED = 65_536;

/**
 * A partition whose defective packets are spared elsewhere. OSTA UDF 2.2.9 and 2.2.11.
 * The tables are copies of each other; the first that can be read serves.
 */
export async function sparableSpace(
  disc: ByteSource,
  structures: ByteSource,
  start: number,
  map: Extract<PartitionMap, { kind: 'sparable' }>,
): Promise<Space> {
  const where = { source: structures.name, byteOffset: 0, structure: 'Sparing Table' };
  if (map.packetBlocks === 0) throw new DiscError('out-of-range', where, 'Packets of a sparable partition have no length');
  const spared = new Map<number, number>();
  for (const location of map.tables) {
    try {
      const table = await readExactly(structures, location * SECTOR_BYTES, map.tableBytes, 'Sparing Table');
      const name = String.fromCharCode(...part(table, 17, 18, where));
      if (name !== '*UDF Sparing Table') throw new DiscError('bad-signature', where, 'No sparing table stands where one was announced');
      const view = new DataView(table.buffer, table.byteOffset, table.byteLength);
      const count = Math.min(view.getUint16(48, true), MAX_SPARED, Math.floor((table.byteLength - 56) / 8));
      for (let i = 0; i < count; i++) {
        const from = view.getUint32(56 + i * 8, true);
        if (from < DEFECTIVE_PACKETS_FROM) spared.set(from, view.getUint32(60 + i * 8, true));
      }
      break;
    } catch (error) {
      if (!(error instanceof DiscError) || location === map.tables.at(-1)) throw error;
    }
  }
  // Packets are counted from the start of the partition; places of spare packets from the start of the disc.
  return {
    extents: piecewise(disc, map.packetBlocks, (block) => {
      const inside = block % map.packetBlocks;
      const spare = spared.get(block - inside);
      return spare === undefined ? start + block : spare + inside;
    }),
  };
}

/** A partition whose blocks are listed one by one, as discs written in sessions have it. OSTA UDF 2.2.8 and 2.2.10. */
export function virtualSpace(disc: ByteSource, start: number, places: readonly number[]): Space {
  return {
    extents: piecewise(disc, 1, (block) => {
      const place = places[block];
      if (place === undefined || place === 0xffffffff) throw beyond(disc.name, block);
      return start + place;
    }),
  };
}

/** Blocks that stand in a file: the metadata partition. OSTA UDF 2.2.10 of revision 2.50. */
export function fileSpace(disc: ByteSource, extents: readonly Extent[]): Space {
  const { sizeBytes } = extentSource(disc.name, extents);
  return {
    extents: (block, bytes) => {
      let from = block * SECTOR_BYTES;
      if (from + bytes > sizeBytes) throw beyond(disc.name, block);
      let left = bytes;
      const found: Extent[] = [];
      for (const extent of extents) {
        const length = Math.min(extent.length - from, left);
        if (length > 0) {
          found.push({ source: extent.source, offset: extent.offset + from, length });
          left -= length;
        }
        from = Math.max(0, from - extent.length);
      }
      return found;
    },
  };
}
