import { NO_USABILITY, SyntaxReader, readUsabilityHead, type PictureFormat } from './nal';

/** NAL unit types. ITU-T H.264 table 7-1. */
export const H264 = {
  slice: 1,
  idr: 5,
  sei: 6,
  sequence: 7,
  picture: 8,
  delimiter: 9,
  filler: 12,
  prefix: 14,
  subsetSequence: 15,
  sliceExtension: 20,
  dependentDelimiter: 24,
} as const;

export interface H264Sequence extends PictureFormat {
  readonly id: number;
  readonly profileCode: number;
  readonly frameNumberBits: number;
  readonly separatePlanes: boolean;
}

const HIGH_PROFILES: ReadonlySet<number> = new Set([100, 110, 122, 244, 44, 83, 86, 118, 128]);
const PROFILES: Readonly<Record<number, string>> = {
  66: 'Baseline',
  77: 'Main',
  88: 'Extended',
  100: 'High',
  110: 'High 10',
  118: 'Multiview High',
  122: 'High 4:2:2',
  128: 'Stereo High',
  244: 'High 4:4:4',
};
const MOST_PIXELS = 16384;

/** scaling_list: 7.3.2.1.1.1. Nothing is kept of it. */
export function skipScalingList(bits: SyntaxReader, size: number): void {
  let last = 8;
  let next = 8;
  for (let i = 0; i < size; i++) {
    if (next !== 0) next = (last + bits.se() + 256) % 256;
    last = next === 0 ? last : next;
  }
}

/**
 * Reads a sequence parameter set, or the first part of a subset one. ITU-T H.264 7.3.2.1.1 and E.1.1.
 * @param nal the unit from its header on, without start code. @returns null where it is cut off or not believable.
 */
export function readH264Sequence(nal: Uint8Array): H264Sequence | null {
  const bits = SyntaxReader.of(nal, 1);
  const profileCode = bits.read(8);
  bits.skip(8);
  const level = bits.read(8);
  const id = bits.ue();
  let chroma = 1;
  let bitDepth = 8;
  let separatePlanes = false;
  if (HIGH_PROFILES.has(profileCode)) {
    chroma = bits.ue();
    if (chroma === 3) separatePlanes = bits.flag();
    bitDepth = 8 + bits.ue();
    bits.ue();
    bits.skip(1);
    if (bits.flag()) for (let i = 0; i < (chroma === 3 ? 12 : 8); i++) if (bits.flag()) skipScalingList(bits, i < 6 ? 16 : 64);
  }
  const frameNumberBits = bits.ue() + 4;
  const orderType = bits.ue();
  if (orderType === 0) bits.ue();
  else if (orderType === 1) {
    bits.skip(1);
    bits.se();
    bits.se();
    const cycle = Math.min(255, bits.ue());
    for (let i = 0; i < cycle; i++) bits.se();
  }
  bits.ue();
  bits.skip(1);
  const widthUnits = bits.ue() + 1;
  const heightUnits = bits.ue() + 1;
  const framesOnly = bits.flag();
  if (!framesOnly) bits.skip(1);
  bits.skip(1);
  const crop = bits.flag() ? [bits.ue(), bits.ue(), bits.ue(), bits.ue()] : [0, 0, 0, 0];
  const usability = bits.flag() ? readUsabilityHead(bits) : NO_USABILITY;
  const cropX = chroma === 1 || chroma === 2 ? 2 : 1;
  const cropY = (chroma === 1 ? 2 : 1) * (framesOnly ? 1 : 2);
  const widthPixels = widthUnits * 16 - cropX * ((crop[0] ?? 0) + (crop[1] ?? 0));
  const heightPixels = heightUnits * 16 * (framesOnly ? 1 : 2) - cropY * ((crop[2] ?? 0) + (crop[3] ?? 0));
  const believable = widthPixels > 0 && heightPixels > 0 && widthPixels <= MOST_PIXELS && heightPixels <= MOST_PIXELS;
  if (bits.overran || !believable || id > 31 || chroma > 3 || bitDepth > 14 || frameNumberBits > 16) return null;
  return {
    id,
    widthPixels,
    heightPixels,
    sampleAspect: usability.sampleAspect,
    profile: PROFILES[profileCode] ?? `profile ${profileCode}`,
    profileCode,
    level: `${Math.floor(level / 10)}.${level % 10}`,
    bitDepth,
    chroma,
    colour: usability.colour,
    framesOnly,
    frameNumberBits,
    separatePlanes,
  };
}

export interface H264Slice {
  readonly intra: boolean;
  readonly bidirectional: boolean;
  /** 0 where the picture is a frame, else 1 for the top and 2 for the bottom field. */
  readonly field: 0 | 1 | 2;
  readonly frameNumber: number;
}

const SLICE_HEAD_BYTES = 24;

/** The head of a slice. ITU-T H.264 7.3.3. @param sequence the set in force; a stream with several at once is not met on discs. */
export function readH264Slice(nal: Uint8Array, sequence: H264Sequence | null): H264Slice {
  const bits = SyntaxReader.of(nal.subarray(0, SLICE_HEAD_BYTES), 1);
  bits.ue();
  const type = bits.ue() % 5;
  bits.ue();
  if (sequence?.separatePlanes) bits.skip(2);
  const frameNumber = bits.read(sequence?.frameNumberBits ?? 4);
  const field = sequence && !sequence.framesOnly && bits.flag() ? (bits.flag() ? 2 : 1) : 0;
  return { intra: type === 2 || type === 4, bidirectional: type === 1, field, frameNumber };
}

/**
 * AVCDecoderConfigurationRecord. ISO/IEC 14496-15 5.3.3.1.2; lengths of four bytes.
 * @param subsets sequence sets of the dependent view: then the record is that of the second view (mvcC, 7.6.2).
 */
export function avcConfiguration(sequences: readonly Uint8Array[], pictures: readonly Uint8Array[]): Uint8Array {
  const first = sequences[0] ?? new Uint8Array(4);
  const parsed = readH264Sequence(first);
  const size = (sets: readonly Uint8Array[]) => sets.reduce((sum, s) => sum + 2 + s.byteLength, 0);
  const high = parsed && HIGH_PROFILES.has(parsed.profileCode) && parsed.profileCode !== 118 && parsed.profileCode !== 128;
  const record = new Uint8Array(7 + size(sequences) + size(pictures) + (high ? 4 : 0));
  record.set([1, first[1] ?? 0, first[2] ?? 0, first[3] ?? 0, 0xff, 0xe0 | sequences.length]);
  let at = 6;
  const put = (sets: readonly Uint8Array[]) => {
    for (const set of sets) {
      record.set([set.byteLength >> 8, set.byteLength & 0xff], at);
      record.set(set, at + 2);
      at += 2 + set.byteLength;
    }
  };
  put(sequences);
  record[at++] = pictures.length;
  put(pictures);
  if (high) record.set([0xfc | parsed.chroma, 0xf8 | (parsed.bitDepth - 8), 0xf8 | (parsed.bitDepth - 8), 0], at);
  return record;
}
