import { DiscError, extentSource, part, readExactly, type ByteSource, type Extent, type Where } from '../../bytes';
import { SECTOR_BYTES } from '../volume';
import {
  EXTENT,
  TAG,
  checkedTag,
  extentBytes,
  extentKind,
  parseLongAd,
  rawExtendedFileEntry,
  rawFileEntry,
  rawShortAd,
  type LongAd,
} from './descriptors';
import type { Space } from './spaces';

const FILE_TYPE_FOLDER = 4;
const MAX_EXTENTS = 65_536;
const MAX_CONTINUATIONS = 64;

/** A file or folder: its size and where its bytes lie. */
export interface Entry {
  readonly folder: boolean;
  readonly sizeBytes: number;
  /** Null where the bytes stand inside the entry itself. */
  readonly extents: readonly Extent[] | null;
  readonly embedded: Uint8Array;
}

/** Bytes that were never written read as zeros. ECMA-167 4/12.1 on extents that are not recorded. */
function zeros(name: string, length: number): Extent {
  const source: ByteSource = {
    name,
    sizeBytes: length,
    read: (offset, target) => {
      const bytes = Math.max(0, Math.min(target.byteLength, length - offset));
      target.fill(0, 0, bytes);
      return Promise.resolve(bytes);
    },
  };
  return { source, offset: 0, length };
}

/** Reads file entries of a volume whose partitions are known. */
export class Entries {
  constructor(
    /** For structures: remembers what was read lately. */
    private readonly name: string,
    private readonly spaces: readonly Space[],
    /** Brings bytes of structures; the extents of files point to the disc itself. */
    private readonly structures: (extents: readonly Extent[]) => ByteSource,
  ) {}

  private space(partition: number, where: Where): Space {
    const space = this.spaces[partition];
    if (!space) throw new DiscError('out-of-range', where, `There is no partition ${partition}`);
    return space;
  }

  /** Where a place of the volume lies on the disc. */
  locate(place: { readonly block: number; readonly partition: number }, bytes: number, where: Where): readonly Extent[] {
    return this.space(place.partition, where).extents(place.block, bytes);
  }

  /** A structure of one block. @returns it, and where it stands. */
  async block(
    place: { readonly block: number; readonly partition: number },
    structure: string,
  ): Promise<{ readonly data: Uint8Array; readonly where: Where }> {
    const extents = this.locate(place, SECTOR_BYTES, { source: this.name, byteOffset: 0, structure });
    const data = await readExactly(this.structures(extents), 0, SECTOR_BYTES, structure);
    return { data, where: { source: this.name, byteOffset: extents[0]?.offset ?? 0, structure } };
  }

  /** Reads a File Entry or an Extended File Entry. ECMA-167 4/14.9 and 4/14.17. */
  async read(icb: LongAd): Promise<Entry> {
    const { data, where } = await this.block(icb, 'File Entry');
    const extended = checkedTag(data, where, null) === TAG.extendedFileEntry;
    if (!extended) checkedTag(data, where, TAG.fileEntry);
    const entry = extended ? rawExtendedFileEntry(data, where) : rawFileEntry(data, where);
    const descriptors = part(data, (extended ? 216 : 176) + entry.attributesLength, entry.descriptorsLength, where);
    const common = { folder: entry.fileType === FILE_TYPE_FOLDER, sizeBytes: entry.informationLength };
    const kind = entry.icbFlags & 7;
    if (kind === 3) {
      const embedded = descriptors.slice(0, Math.min(entry.informationLength, descriptors.byteLength));
      return { ...common, sizeBytes: embedded.byteLength, extents: null, embedded };
    }
    if (kind > 1) throw new DiscError('unsupported', where, `Allocation descriptors of kind ${kind} are not used on discs`);
    const extents = await this.extents(descriptors, kind === 1, icb.partition, entry.informationLength, where);
    return { ...common, extents, embedded: new Uint8Array(0) };
  }

  /** Follows allocation descriptors, over their continuations. ECMA-167 4/12 and 4/14.5. */
  private async extents(first: Uint8Array, long: boolean, partition: number, sizeBytes: number, where: Where): Promise<Extent[]> {
    const extents: Extent[] = [];
    const step = long ? 16 : 8;
    let left = sizeBytes;
    let descriptors: Uint8Array | null = first;
    for (let continuation = 0; descriptors && continuation < MAX_CONTINUATIONS; continuation++) {
      let next: LongAd | null = null;
      for (let at = 0; at + step <= descriptors.byteLength && left > 0; at += step) {
        const ad = readDescriptor(descriptors.subarray(at, at + step), long, partition, where);
        if (ad.bytes === 0) break;
        if (ad.kind === EXTENT.continuation) {
          next = ad;
          break;
        }
        const length = Math.min(ad.bytes, left);
        extents.push(...(ad.kind === EXTENT.recorded ? this.locate(ad, length, where) : [zeros(this.name, length)]));
        left -= length;
        if (extents.length > MAX_EXTENTS) throw new DiscError('out-of-range', where, 'A file has more extents than is believable');
      }
      descriptors = next ? await this.continuation(next) : null;
    }
    return extents;
  }

  /** Allocation Extent Descriptor. ECMA-167 4/14.5. */
  private async continuation(place: LongAd): Promise<Uint8Array> {
    const { data, where } = await this.block(place, 'Allocation Extent Descriptor');
    return part(data, 24, new DataView(data.buffer, data.byteOffset).getUint32(20, true), where);
  }

  /** All bytes of a folder. */
  source(entry: Entry, name: string): ByteSource {
    return extentSource(name, entry.extents ?? []);
  }
}

function readDescriptor(data: Uint8Array, long: boolean, partition: number, where: Where): LongAd {
  if (long) return parseLongAd(data, where);
  const ad = rawShortAd(data, where);
  return { block: ad.block, partition, bytes: extentBytes(ad.length), kind: extentKind(ad.length) };
}
