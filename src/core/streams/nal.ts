import { BitReader } from '../bytes';

/** Reads exponential-Golomb codes over a NAL unit whose emulation-prevention bytes have been taken out. Spec: ITU-T H.264 7.4.1, 9.1. */
export class SyntaxReader extends BitReader {
  /** @param nal the unit with its header; @param headerBytes 1 for H.264, 2 for HEVC. */
  static of(nal: Uint8Array, headerBytes: number): SyntaxReader {
    return new SyntaxReader(unescaped(nal.subarray(headerBytes)));
  }
  /** ue(v), at most 32 bits. */
  ue(): number {
    let zeros = 0;
    while (zeros < 32 && this.read(1) === 0) {
      if (this.overran) return 0;
      zeros++;
    }
    return zeros === 0 ? 0 : 2 ** zeros - 1 + this.read(zeros);
  }
  /** se(v). */
  se(): number {
    const code = this.ue();
    return code & 1 ? (code + 1) / 2 : -code / 2;
  }
  flag(): boolean {
    return this.read(1) === 1;
  }
}

/** Takes out the 03 of every 00 00 03. */
export function unescaped(data: Uint8Array): Uint8Array {
  const out = new Uint8Array(data.byteLength);
  let zeros = 0;
  let to = 0;
  for (const byte of data) {
    if (zeros >= 2 && byte === 3) {
      zeros = 0;
      continue;
    }
    out[to++] = byte;
    zeros = byte === 0 ? zeros + 1 : 0;
  }
  return out.subarray(0, to);
}

/** A unit without the zeros after it: they belong to the next start code. */
export function trimmedUnit(unit: Uint8Array): Uint8Array {
  let end = unit.byteLength;
  while (end > 0 && unit[end - 1] === 0) end--;
  return end === unit.byteLength ? unit : unit.subarray(0, end);
}

/** Sample aspect ratios by aspect_ratio_idc (H.264 table E-1, H.265 table E.1). */
const SAMPLE_ASPECTS: readonly (readonly [number, number])[] = [
  [1, 1],
  [1, 1],
  [12, 11],
  [10, 11],
  [16, 11],
  [40, 33],
  [24, 11],
  [20, 11],
  [32, 11],
  [80, 33],
  [18, 11],
  [15, 11],
  [64, 33],
  [160, 99],
  [4, 3],
  [3, 2],
  [2, 1],
];
const EXTENDED_ASPECT = 255;

/** Colour as the code points of ITU-T H.273. */
export interface ColourCodes {
  readonly primaries: number;
  readonly transfer: number;
  readonly matrix: number;
  readonly fullRange: boolean;
}

export interface Usability {
  readonly sampleAspect: readonly [number, number];
  readonly colour: ColourCodes | null;
  /** As a fraction of seconds per tick; null where the stream does not say. */
  readonly tick: readonly [number, number] | null;
}

export const NO_USABILITY: Usability = { sampleAspect: [1, 1], colour: null, tick: null };

/** The first part of the video usability information, which both standards share up to the chroma locations. */
export function readUsabilityHead(bits: SyntaxReader): Pick<Usability, 'sampleAspect' | 'colour'> {
  let sampleAspect: readonly [number, number] = [1, 1];
  if (bits.flag()) {
    const code = bits.read(8);
    sampleAspect = code === EXTENDED_ASPECT ? [bits.read(16), bits.read(16)] : (SAMPLE_ASPECTS[code] ?? [1, 1]);
    if (sampleAspect[0] === 0 || sampleAspect[1] === 0) sampleAspect = [1, 1];
  }
  if (bits.flag()) bits.skip(1); // overscan
  let colour: ColourCodes | null = null;
  if (bits.flag()) {
    bits.skip(3);
    const fullRange = bits.flag();
    if (bits.flag()) colour = { fullRange, primaries: bits.read(8), transfer: bits.read(8), matrix: bits.read(8) };
  }
  if (bits.flag()) {
    bits.ue();
    bits.ue();
  }
  return { sampleAspect, colour };
}

/** What a picture's parameter sets say, whatever the standard. */
export interface PictureFormat {
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly sampleAspect: readonly [number, number];
  readonly profile: string;
  readonly level: string;
  readonly bitDepth: number;
  /** 0: no colour, 1: 4:2:0, 2: 4:2:2, 3: 4:4:4. */
  readonly chroma: number;
  readonly colour: ColourCodes | null;
  /** True where every picture is a whole frame. */
  readonly framesOnly: boolean;
}
