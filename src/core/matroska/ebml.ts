/** EBML, as far as Matroska needs it. RFC 8794. */

import { concatBytes } from '../bytes';

/** BlockAddIDType of the second view's configuration: "mvcC". */
export const MVC_CONFIGURATION = 0x6d766343;

/** Element identifiers with their marker bits. RFC 9559 section 5.1 names the Matroska ones. */
export const ID = {
  EBML: 0x1a45dfa3,
  EBMLVersion: 0x4286,
  EBMLReadVersion: 0x42f7,
  EBMLMaxIDLength: 0x42f2,
  EBMLMaxSizeLength: 0x42f3,
  DocType: 0x4282,
  DocTypeVersion: 0x4287,
  DocTypeReadVersion: 0x4285,
  Void: 0xec,
  CRC32: 0xbf,
  Segment: 0x18538067,
  SeekHead: 0x114d9b74,
  Seek: 0x4dbb,
  SeekID: 0x53ab,
  SeekPosition: 0x53ac,
  Info: 0x1549a966,
  TimestampScale: 0x2ad7b1,
  Duration: 0x4489,
  Title: 0x7ba9,
  MuxingApp: 0x4d80,
  WritingApp: 0x5741,
  SegmentUUID: 0x73a4,
  DateUTC: 0x4461,
  Tracks: 0x1654ae6b,
  TrackEntry: 0xae,
  TrackNumber: 0xd7,
  TrackUID: 0x73c5,
  TrackType: 0x83,
  FlagEnabled: 0xb9,
  FlagDefault: 0x88,
  FlagForced: 0x55aa,
  FlagHearingImpaired: 0x55ab,
  FlagVisualImpaired: 0x55ac,
  FlagOriginal: 0x55ae,
  FlagCommentary: 0x55af,
  FlagLacing: 0x9c,
  DefaultDuration: 0x23e383,
  Name: 0x536e,
  Language: 0x22b59c,
  LanguageBCP47: 0x22b59d,
  CodecID: 0x86,
  CodecPrivate: 0x63a2,
  CodecDelay: 0x56aa,
  SeekPreRoll: 0x56bb,
  MaxBlockAdditionID: 0x55ee,
  ContentEncodings: 0x6d80,
  Video: 0xe0,
  FlagInterlaced: 0x9a,
  FieldOrder: 0x9d,
  PixelWidth: 0xb0,
  PixelHeight: 0xba,
  DisplayWidth: 0x54b0,
  DisplayHeight: 0x54ba,
  DisplayUnit: 0x54b2,
  StereoMode: 0x53b8,
  Colour: 0x55b0,
  MatrixCoefficients: 0x55b1,
  BitsPerChannel: 0x55b2,
  ChromaSubsamplingHorz: 0x55b3,
  ChromaSubsamplingVert: 0x55b4,
  Range: 0x55b9,
  TransferCharacteristics: 0x55ba,
  Primaries: 0x55bb,
  MaxCLL: 0x55bc,
  MaxFALL: 0x55bd,
  MasteringMetadata: 0x55d0,
  PrimaryRChromaticityX: 0x55d1,
  PrimaryRChromaticityY: 0x55d2,
  PrimaryGChromaticityX: 0x55d3,
  PrimaryGChromaticityY: 0x55d4,
  PrimaryBChromaticityX: 0x55d5,
  PrimaryBChromaticityY: 0x55d6,
  WhitePointChromaticityX: 0x55d7,
  WhitePointChromaticityY: 0x55d8,
  LuminanceMax: 0x55d9,
  LuminanceMin: 0x55da,
  BlockAdditionMapping: 0x41e4,
  BlockAddIDName: 0x41a4,
  BlockAddIDType: 0x41e7,
  BlockAddIDExtraData: 0x41ed,
  Audio: 0xe1,
  SamplingFrequency: 0xb5,
  Channels: 0x9f,
  BitDepth: 0x6264,
  Cluster: 0x1f43b675,
  Timestamp: 0xe7,
  SimpleBlock: 0xa3,
  BlockGroup: 0xa0,
  Block: 0xa1,
  BlockDuration: 0x9b,
  BlockAdditions: 0x75a1,
  ReferenceBlock: 0xfb,
  Cues: 0x1c53bb6b,
  CuePoint: 0xbb,
  CueTime: 0xb3,
  CueTrackPositions: 0xb7,
  CueTrack: 0xf7,
  CueClusterPosition: 0xf1,
  CueRelativePosition: 0xf0,
  Chapters: 0x1043a770,
  EditionEntry: 0x45b9,
  EditionUID: 0x45bc,
  EditionFlagDefault: 0x45db,
  ChapterAtom: 0xb6,
  ChapterUID: 0x73c4,
  ChapterTimeStart: 0x91,
  ChapterTimeEnd: 0x92,
  ChapterDisplay: 0x80,
  ChapString: 0x85,
  ChapLanguage: 0x437c,
  ChapLanguageBCP47: 0x437d,
  Attachments: 0x1941a469,
  AttachedFile: 0x61a7,
  FileDescription: 0x467e,
  FileName: 0x466e,
  FileMediaType: 0x4660,
  FileData: 0x465c,
  FileUID: 0x46ae,
  Tags: 0x1254c367,
  Tag: 0x7373,
  Targets: 0x63c0,
  TargetTypeValue: 0x68ca,
  TargetType: 0x63ca,
  TagTrackUID: 0x63c5,
  SimpleTag: 0x67c8,
  TagName: 0x45a3,
  TagString: 0x4487,
  TagLanguage: 0x447a,
} as const;

/** A master whose size is not known while it is written. RFC 8794 section 6.2. */
export const UNKNOWN_SIZE = Uint8Array.of(0x01, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff);

const MAX_SAFE_SIZE = 2 ** 52;

/** Bytes of an identifier: its length stands in its first byte. */
function idBytes(id: number): number[] {
  const bytes: number[] = [];
  for (let rest = id; rest > 0; rest = Math.floor(rest / 256)) bytes.unshift(rest & 0xff);
  return bytes;
}

/**
 * A data size as a variable-length integer, in as few bytes as it takes or in exactly `width`.
 * @throws RangeError above 2^52, or where `width` is too small: a wrong size must never be written in silence.
 */
export function sizeBytes(size: number, width = 0): number[] {
  if (!Number.isInteger(size) || size < 0 || size > MAX_SAFE_SIZE) throw new RangeError(`EBML size ${size} can not be written`);
  let length = width || 1;
  // All ones is reserved for the unknown size.
  while (!width && size >= 2 ** (7 * length) - 1) length++;
  if (size >= 2 ** (7 * length) - 1 || length > 8) throw new RangeError(`EBML size ${size} does not fit ${length} bytes`);
  const bytes: number[] = new Array<number>(length).fill(0);
  let rest = size;
  for (let i = length - 1; i >= 0; i--) {
    bytes[i] = rest % 256;
    rest = Math.floor(rest / 256);
  }
  bytes[0] = (bytes[0] as number) | (0x80 >> (length - 1));
  return bytes;
}

export const binary = (id: number, data: Uint8Array): Uint8Array =>
  concatBytes([Uint8Array.from([...idBytes(id), ...sizeBytes(data.byteLength)]), data]);

/** Unsigned integer in as few bytes as it takes; a `bigint` for 64-bit identifiers. */
export function uint(id: number, value: number | bigint, width = 0): Uint8Array {
  if (value < 0 || (typeof value === 'number' && !Number.isSafeInteger(value)))
    throw new RangeError(`EBML can not write ${value} as an unsigned integer`);
  const bytes: number[] = [];
  for (let rest = BigInt(value); rest > 0n || bytes.length < Math.max(1, width); rest >>= 8n) bytes.unshift(Number(rest & 0xffn));
  return binary(id, Uint8Array.from(bytes));
}

export function float64(id: number, value: number): Uint8Array {
  const data = new Uint8Array(8);
  new DataView(data.buffer).setFloat64(0, value);
  return binary(id, data);
}

const encoder = new TextEncoder();
export const utf8 = (id: number, value: string): Uint8Array => binary(id, encoder.encode(value));

export const master = (id: number, children: readonly (Uint8Array | null)[]): Uint8Array =>
  binary(id, concatBytes(children.filter((c) => c !== null)));

/** Computes CRC-32 (ISO 3309, as RFC 8794 section 11.3.1 asks). An implementation may be handed in that is faster. */
export type Crc32 = (data: Uint8Array) => number;

/** A top-level master with its checksum as first child, over all that follows it. */
export function checkedMaster(id: number, children: readonly (Uint8Array | null)[], crc32: Crc32): Uint8Array {
  const content = concatBytes(children.filter((c) => c !== null));
  return master(id, [crcElement(crc32(content)), content]);
}

/** The checksum element: its value is little-endian, unlike everything else in EBML. */
export function crcElement(crc: number): Uint8Array {
  const data = new Uint8Array(4);
  new DataView(data.buffer).setUint32(0, crc >>> 0, true);
  return binary(ID.CRC32, data);
}
export const CRC_ELEMENT_BYTES = 6;

/** Filler of exactly `size` bytes, head included (at least 2). */
export function voidElement(size: number): Uint8Array {
  if (size < 2) throw new RangeError('A Void element takes at least two bytes');
  const width = size - 2 < 127 ? 1 : 8;
  const data = new Uint8Array(size);
  data.set([ID.Void, ...sizeBytes(size - 1 - width, width)]);
  return data;
}
