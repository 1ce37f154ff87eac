/** Headers of MPEG-1 and MPEG-2 video. ISO/IEC 11172-2 2.4; ISO/IEC 13818-2 6.2 and 6.3. */

export const CODE = { picture: 0x00, userData: 0xb2, sequence: 0xb3, extension: 0xb5, sequenceEnd: 0xb7, group: 0xb8 } as const;

/** Ticks of 27 MHz that one frame lasts, by frame_rate_code (13818-2 table 6-4). */
const FRAME_TICKS = [0, 1_126_125, 1_125_000, 1_080_000, 900_900, 900_000, 540_000, 450_450, 450_000] as const;
const FRAME_RATES = ['', '24000/1001', '24/1', '25/1', '30000/1001', '30/1', '50/1', '60000/1001', '60/1'] as const;

export interface SequenceHeader {
  readonly widthPixels: number;
  readonly heightPixels: number;
  /** Display aspect ratio as a fraction; null where the code is not allowed. */
  readonly displayAspect: readonly [number, number] | null;
  readonly frameTicks: number;
  readonly frameRate: string;
  readonly bitRate: number;
  /** True once a sequence extension was seen: MPEG-2. */
  readonly mpeg2: boolean;
  readonly progressiveSequence: boolean;
  readonly profileAndLevel: number;
}

/** Pixel aspect of MPEG-1 (11172-2 table on pel_aspect_ratio) brought to the display: only the two used on DVD matter. */
const MPEG1_ASPECTS: Readonly<Record<number, readonly [number, number]>> = { 1: [1, 1], 3: [16, 9], 6: [16, 9], 8: [4, 3], 12: [4, 3] };
const MPEG2_ASPECTS: Readonly<Record<number, readonly [number, number]>> = { 1: [1, 1], 2: [4, 3], 3: [16, 9], 4: [221, 100] };

/**
 * Reads a sequence header and, where it follows, its extension.
 * @param at the first byte of its start code; @param end where reading must stop.
 * @returns null where it is cut off or its frame rate or size is not allowed.
 */
export function readSequenceHeader(data: Uint8Array, at: number, end: number): SequenceHeader | null {
  if (at + 12 > end) return null;
  const b = (i: number) => data[at + i] as number;
  let width = (b(4) << 4) | (b(5) >> 4);
  let height = ((b(5) & 15) << 8) | b(6);
  const aspectCode = b(7) >> 4;
  const rateCode = b(7) & 15;
  const bitRate = ((b(8) << 10) | (b(9) << 2) | (b(10) >> 6)) * 400;
  const frameTicks = FRAME_TICKS[rateCode] ?? 0;
  if (!frameTicks || !width || !height) return null;
  const extensionAt = findExtension(data, at + 4, Math.min(end, at + 12 + 130));
  const mpeg2 = extensionAt >= 0;
  let progressiveSequence = true;
  let profileAndLevel = 0;
  if (mpeg2) {
    const e = (i: number) => data[extensionAt + i] as number;
    profileAndLevel = ((e(4) & 15) << 4) | (e(5) >> 4);
    progressiveSequence = (e(5) & 8) !== 0;
    width |= (((e(5) & 1) << 1) | (e(6) >> 7)) << 12;
    height |= ((e(6) >> 5) & 3) << 12;
  }
  const aspect = mpeg2 ? MPEG2_ASPECTS[aspectCode] : MPEG1_ASPECTS[aspectCode];
  const displayAspect = aspect ? (aspect[0] === aspect[1] ? ([width, height] as const) : aspect) : null;
  return {
    widthPixels: width,
    heightPixels: height,
    displayAspect,
    frameTicks,
    frameRate: FRAME_RATES[rateCode] ?? '',
    bitRate,
    mpeg2,
    progressiveSequence,
    profileAndLevel,
  };
}

/** The sequence extension follows its header at once, or after quantiser matrices (at most 128 bytes). */
function findExtension(data: Uint8Array, from: number, end: number): number {
  for (let p = from; p + 10 <= end; p++) {
    if (data[p] === 0 && data[p + 1] === 0 && data[p + 2] === 1) {
      return data[p + 3] === CODE.extension && (data[p + 4] as number) >> 4 === 1 ? p : -1;
    }
  }
  return -1;
}

export const PICTURE = { intra: 1, predicted: 2, bidirectional: 3 } as const;

export interface PictureHeader {
  readonly temporalReference: number;
  readonly type: number;
}

/** @param at the first byte of a picture start code, with at least 6 bytes there. */
export function readPictureHeader(data: Uint8Array, at: number): PictureHeader {
  const high = data[at + 4] as number;
  const low = data[at + 5] as number;
  return { temporalReference: (high << 2) | (low >> 6), type: (low >> 3) & 7 };
}

/** Field structure of a picture. */
export interface PictureCoding {
  /** 1 top field, 2 bottom field, 3 frame. */
  readonly structure: number;
  readonly topFieldFirst: boolean;
  readonly repeatFirstField: boolean;
  readonly progressiveFrame: boolean;
}

export const MPEG1_PICTURE: PictureCoding = { structure: 3, topFieldFirst: false, repeatFirstField: false, progressiveFrame: true };

/** Picture coding extension (13818-2 6.2.3.1). @param at its start code. @returns null where it is another extension. */
export function readPictureCoding(data: Uint8Array, at: number): PictureCoding | null {
  if ((data[at + 4] as number) >> 4 !== 8) return null;
  const c = data[at + 6] as number;
  const d = data[at + 7] as number;
  return {
    structure: c & 3,
    topFieldFirst: (d & 0x80) !== 0,
    repeatFirstField: (d & 0x02) !== 0,
    progressiveFrame: ((data[at + 8] as number) & 0x80) !== 0,
  };
}

/**
 * Rows of macroblocks of a coded picture: 13818-2 6.3.3 on vertical_size (mb_height).
 * @param structure 3 for a frame, 1 and 2 for fields: picture_structure, table 6-14.
 */
export function pictureRows({ heightPixels, progressiveSequence }: SequenceHeader, structure: number): number {
  if (progressiveSequence) return Math.ceil(heightPixels / 16);
  return Math.ceil(heightPixels / 32) * (structure === 3 ? 2 : 1);
}

/** Half frames that a picture is shown, as pulldown flags say (13818-2 6.3.10 on repeat_first_field). */
export function pictureFields(coding: PictureCoding, progressiveSequence: boolean): number {
  if (coding.structure !== 3) return 1;
  if (!coding.repeatFirstField) return 2;
  if (!progressiveSequence) return 3;
  return coding.topFieldFirst ? 6 : 4;
}

/**
 * Finds the next start code prefix 00 00 01 whose code byte stands before `end`.
 * Looking for the 01 with the engine's own search and then back at the zeros is three times as fast as a loop over bytes.
 * @returns index of its first zero, or -1.
 */
export function findStartCode(data: Uint8Array, from: number, end: number): number {
  let p = from + 2;
  for (;;) {
    p = data.indexOf(1, p);
    if (p < 0 || p + 1 >= end) return -1;
    if (data[p - 1] === 0 && data[p - 2] === 0) return p - 2;
    p++;
  }
}
