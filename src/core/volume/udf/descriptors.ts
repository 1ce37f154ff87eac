import { DiscError, raw, record, u16le, u32le, u64le, u8, type Where } from '../../bytes';

/** Descriptor tag identifiers. ECMA-167 3/7.2.1 and 4/7.2.1. */
export const TAG = {
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
export const rawAnchor = record('Anchor Volume Descriptor Pointer', 32, {
  mainLength: u32le(16),
  mainLocation: u32le(20),
  reserveLength: u32le(24),
  reserveLocation: u32le(28),
});

/** Partition Descriptor. ECMA-167 3/10.5. */
export const rawPartition = record('Partition Descriptor', 196, { number: u16le(22), start: u32le(188), length: u32le(192) });

/** Logical Volume Descriptor, without its partition maps. ECMA-167 3/10.6. */
export const rawLogicalVolume = record('Logical Volume Descriptor', 440, {
  identifier: raw(84, 128),
  blockBytes: u32le(212),
  revision: u16le(240),
  fileSet: raw(248, 16),
  mapTableLength: u32le(264),
  mapCount: u32le(268),
});
/** Where the partition maps begin in it. */
export const MAPS_AT = 440;

/** Type 1 Partition Map. ECMA-167 3/10.7.2. */
export const rawPlainMap = record('Partition Map', 6, { partition: u16le(4) });
/** Type 2 Partition Map, and what OSTA UDF 2.2.8 to 2.2.10 put into it: virtual, sparable, metadata. */
export const rawTypedMap = record('Partition Map', 64, {
  kind: raw(5, 23),
  partition: u16le(38),
  packetBlocks: u16le(40),
  sparingTables: u8(42),
  sparingBytes: u32le(44),
  sparingLocations: raw(48, 16),
  metadataFile: u32le(40),
  metadataMirror: u32le(44),
});

const rawLongAd = record('long_ad', 16, { length: u32le(0), block: u32le(4), partition: u16le(8) });
/** short_ad. ECMA-167 4/14.14.1. */
export const rawShortAd = record('short_ad', 8, { length: u32le(0), block: u32le(4) });

/** File Set Descriptor. ECMA-167 4/14.1. */
export const rawFileSet = record('File Set Descriptor', 416, { rootIcb: raw(400, 16) });

const ENTRY = { fileType: u8(27), icbFlags: u16le(34), informationLength: u64le(56) };
/** File Entry. ECMA-167 4/14.9. */
export const rawFileEntry = record('File Entry', 176, { ...ENTRY, attributesLength: u32le(168), descriptorsLength: u32le(172) });
/** Extended File Entry. ECMA-167 4/14.17. */
export const rawExtendedFileEntry = record('Extended File Entry', 216, {
  ...ENTRY,
  attributesLength: u32le(208),
  descriptorsLength: u32le(212),
});

/** File Identifier Descriptor, its fixed part. ECMA-167 4/14.4. */
export const rawFileIdentifier = record('File Identifier Descriptor', 38, {
  characteristics: u8(18),
  identifierLength: u8(19),
  icb: raw(20, 16),
  implementationLength: u16le(36),
});

/** Lengths of extents keep two bits for their kind. ECMA-167 4/14.14.1.1. */
export const EXTENT = { recorded: 0, unrecorded: 1, unallocated: 2, continuation: 3 } as const;
export const extentKind = (length: number): number => length >>> 30;
export const extentBytes = (length: number): number => length & 0x3fffffff;

/** A place in the volume: a block of a partition, by the partition map's number. */
export interface LongAd {
  readonly block: number;
  readonly partition: number;
  readonly bytes: number;
  readonly kind: number;
}

/** long_ad. ECMA-167 4/14.14.2. */
export function parseLongAd(data: Uint8Array, where: Where): LongAd {
  const ad = rawLongAd(data, where);
  return { block: ad.block, partition: ad.partition, bytes: extentBytes(ad.length), kind: extentKind(ad.length) };
}

/** Reads an OSTA compressed Unicode string (UDF 2.1.1): first byte 8 or 16 bits a character. */
export function dstring(data: Uint8Array): string {
  const wide = data[0] === 16;
  let result = '';
  for (let i = 1; i + (wide ? 1 : 0) < data.length; i += wide ? 2 : 1) {
    const code = wide ? ((data[i] ?? 0) << 8) | (data[i + 1] ?? 0) : (data[i] ?? 0);
    result += String.fromCharCode(code);
  }
  return result;
}

/**
 * Checks a descriptor's tag.
 * @param expected the identifier it must have; null for any.
 * @throws DiscError `bad-signature` where it is another, or its checksum is wrong.
 */
export function checkedTag(data: Uint8Array, where: Where, expected: number | null): number {
  const tag = rawTag(data, where);
  let sum = 0;
  for (let i = 0; i < 16; i++) if (i !== 4) sum = (sum + (data[i] ?? 0)) & 0xff;
  if (sum !== tag.checksum || (expected !== null && tag.identifier !== expected)) {
    throw new DiscError(
      'bad-signature',
      where,
      `Descriptor ${tag.identifier} found where ${expected ?? 'another'} was expected, or its checksum is wrong`,
    );
  }
  return tag.identifier;
}
