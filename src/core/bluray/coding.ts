import type { Cursor } from '../bytes';

/** What a stream is coded in. Spec: BD-ROM part 3, stream_coding_type; ISO/IEC 13818-1 table 2-34 for the standard ones. */
export const CODING = {
  mpeg1Video: 0x01,
  mpeg2Video: 0x02,
  mpeg1Audio: 0x03,
  mpeg2Audio: 0x04,
  h264: 0x1b,
  mvc: 0x20,
  hevc: 0x24,
  vc1: 0xea,
  lpcm: 0x80,
  ac3: 0x81,
  dts: 0x82,
  trueHd: 0x83,
  eac3: 0x84,
  dtsHdHigh: 0x85,
  dtsHdMaster: 0x86,
  secondaryEac3: 0xa1,
  secondaryDts: 0xa2,
  pgs: 0x90,
  menuGraphics: 0x91,
  text: 0x92,
} as const;

const VIDEO: ReadonlySet<number> = new Set([CODING.mpeg1Video, CODING.mpeg2Video, CODING.h264, CODING.mvc, CODING.hevc, CODING.vc1]);
const AUDIO: ReadonlySet<number> = new Set([
  CODING.mpeg1Audio,
  CODING.mpeg2Audio,
  CODING.lpcm,
  CODING.ac3,
  CODING.dts,
  CODING.trueHd,
  CODING.eac3,
  CODING.dtsHdHigh,
  CODING.dtsHdMaster,
  CODING.secondaryEac3,
  CODING.secondaryDts,
]);

/** What the tables say of one stream. */
export interface StreamAttributes {
  readonly coding: number;
  readonly kind: 'video' | 'audio' | 'graphics' | 'text' | 'other';
  /** video_format and frame_rate, or audio_presentation_type and sampling_frequency; 0 where there are none. */
  readonly format: number;
  readonly rate: number;
  /** ISO 639-2 code of three letters; null where blank or not letters. */
  readonly language: string | null;
  /** dynamic_range_type of an HEVC stream: 0 SDR, 1 HDR10, 2 Dolby Vision. */
  readonly dynamicRange: number;
}

function language(cursor: Cursor): string | null {
  if (cursor.left < 3) return null;
  const code = cursor.text(3).toLowerCase();
  return /^[a-z]{3}$/.test(code) && code !== 'und' ? code : null;
}

/** Reads stream_attributes() of a playlist, or StreamCodingInfo() of a clip: both begin alike. @param cursor over just it. */
export function readAttributes(cursor: Cursor): StreamAttributes {
  const coding = cursor.u8();
  const none = { coding, format: 0, rate: 0, language: null, dynamicRange: 0 };
  if (VIDEO.has(coding)) {
    const both = cursor.u8();
    const range = coding === CODING.hevc && cursor.left > 0 ? cursor.u8() >> 4 : 0;
    return { ...none, kind: 'video', format: both >> 4, rate: both & 15, dynamicRange: range };
  }
  if (AUDIO.has(coding)) {
    const both = cursor.u8();
    return { ...none, kind: 'audio', format: both >> 4, rate: both & 15, language: language(cursor) };
  }
  if (coding === CODING.pgs || coding === CODING.menuGraphics) return { ...none, kind: 'graphics', language: language(cursor) };
  if (coding === CODING.text) {
    cursor.skip(1);
    return { ...none, kind: 'text', language: language(cursor) };
  }
  return { ...none, kind: 'other' };
}

/** Size, scan and rate by video_format and frame_rate. Spec: BD-ROM part 3, tables of both. */
const SIZES: Readonly<Record<number, readonly [number, number, boolean]>> = {
  1: [720, 480, true],
  2: [720, 576, true],
  3: [720, 480, false],
  4: [1920, 1080, true],
  5: [1280, 720, false],
  6: [1920, 1080, false],
  7: [720, 576, false],
  8: [3840, 2160, false],
};
const RATES: Readonly<Record<number, readonly [string, number]>> = {
  1: ['24000/1001', 1_126_125],
  2: ['24/1', 1_125_000],
  3: ['25/1', 1_080_000],
  4: ['30000/1001', 900_900],
  6: ['50/1', 540_000],
  7: ['60000/1001', 450_450],
};

export interface VideoFormat {
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly interlaced: boolean;
  readonly frameRate: string;
  /** Of 27 MHz. */
  readonly frameTicks: number;
}

/** @returns 1080p at 23.976 where the codes say nothing that the standard knows. */
export function videoFormat(attributes: StreamAttributes): VideoFormat {
  const [widthPixels, heightPixels, interlaced] = SIZES[attributes.format] ?? [1920, 1080, false];
  const [frameRate, frameTicks] = RATES[attributes.rate] ?? ['24000/1001', 1_126_125];
  return { widthPixels, heightPixels, interlaced, frameRate, frameTicks };
}

/** Channels by audio_presentation_type: what the tables know; the stream's own header knows better. */
export const audioChannels = (format: number): number => (format === 1 ? 1 : format === 6 || format === 12 ? 6 : 2);
/** Sampling rate in Hz by sampling_frequency; the higher one of a pair. */
export const audioRate = (rate: number): number => (rate === 4 || rate === 14 ? 96000 : rate === 5 || rate === 12 ? 192000 : 48000);
