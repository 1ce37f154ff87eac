import { BitReader } from '../bytes';
import { TICKS_PER_SECOND } from './clock';

/** One audio frame's header, whatever the codec. */
export interface AudioFrameHeader {
  readonly frameBytes: number;
  readonly samples: number;
  readonly sampleRateHz: number;
  readonly channels: number;
  /** Bits a second, 0 where the header does not say. */
  readonly bitRate: number;
  /** Where the low-frequency channel is told apart: "5.1"; else the plain count. */
  readonly layout: string;
}

/** Reads a frame header at `at`; null where none starts there. At least `HEADER_BYTES` bytes must be present. */
export type AudioHeaderReader = (data: Uint8Array, at: number, end: number) => AudioFrameHeader | null;
export const HEADER_BYTES = 16;

const AC3_RATES = [48000, 44100, 32000] as const;
const AC3_KBPS = [32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640] as const;
const AC3_CHANNELS = [2, 1, 2, 3, 3, 4, 4, 5] as const;

/** Count and name of a set of full channels, with or without the low-frequency one. */
export const withLfe = (channels: number, lfe: boolean): Pick<AudioFrameHeader, 'channels' | 'layout'> => ({
  channels: channels + (lfe ? 1 : 0),
  layout: lfe ? `${channels}.1` : channels === 1 ? 'mono' : channels === 2 ? 'stereo' : `${channels}.0`,
});

/** AC-3 synchronisation frame. ATSC A/52 5.3 and table 5.18. */
export const readAc3Header: AudioHeaderReader = (data, at, end) => {
  if (at + 8 > end || data[at] !== 0x0b || data[at + 1] !== 0x77) return null;
  const code = data[at + 4] as number;
  const rate = AC3_RATES[code >> 6];
  const kbps = AC3_KBPS[(code & 0x3f) >> 1];
  if ((data[at + 5] as number) >> 3 > 10 || rate === undefined || kbps === undefined) return null;
  const words = rate === 48000 ? kbps * 2 : rate === 32000 ? kbps * 3 : Math.floor((kbps * 96000) / 44100) + (code & 1);
  const bits = new BitReader(data, at + 6);
  const mode = bits.read(3);
  if (mode & 1 && mode !== 1) bits.skip(2); // centre mix level
  if (mode & 4) bits.skip(2); //               surround mix level
  if (mode === 2) bits.skip(2); //             Dolby Surround mode
  return {
    frameBytes: words * 2,
    samples: 1536,
    sampleRateHz: rate,
    bitRate: kbps * 1000,
    ...withLfe(AC3_CHANNELS[mode] ?? 2, bits.read(1) === 1),
  };
};

const DTS_RATES: Readonly<Record<number, number>> = {
  1: 8000,
  2: 16000,
  3: 32000,
  6: 11025,
  7: 22050,
  8: 44100,
  11: 12000,
  12: 24000,
  13: 48000,
};
const DTS_CHANNELS = [1, 2, 2, 2, 2, 3, 3, 4, 4, 5, 6, 6, 6, 7, 8, 8] as const;
const DTS_KBPS = [
  32, 56, 64, 96, 112, 128, 192, 224, 256, 320, 384, 448, 512, 576, 640, 768, 960, 1024, 1152, 1280, 1344, 1408, 1411.2, 1472, 1536,
] as const;

/** DTS core frame, 16-bit big-endian words as on discs. ETSI TS 102 114 5.3. */
export const readDtsHeader: AudioHeaderReader = (data, at, end) => {
  if (at + 12 > end || data[at] !== 0x7f || data[at + 1] !== 0xfe || data[at + 2] !== 0x80 || data[at + 3] !== 0x01) return null;
  const bits = new BitReader(data, at + 4);
  bits.skip(7); // frame type, deficit samples, CRC flag
  const blocks = bits.read(7) + 1;
  const frameBytes = bits.read(14) + 1;
  const channels = DTS_CHANNELS[bits.read(6)];
  const rate = DTS_RATES[bits.read(4)];
  const kbps = DTS_KBPS[bits.read(5)];
  bits.skip(10); // down mix, dynamic range, time stamp, auxiliary data, HDCD, extension type and flag, sync flag
  const lfe = bits.read(2);
  if (frameBytes < 96 || channels === undefined || rate === undefined) return null;
  return {
    frameBytes,
    samples: blocks * 32,
    sampleRateHz: rate,
    bitRate: (kbps ?? 0) * 1000,
    ...withLfe(channels, lfe === 1 || lfe === 2),
  };
};

const MPA_RATES = [44100, 48000, 32000] as const;
const MPA_KBPS: Readonly<Record<string, readonly number[]>> = {
  '1-2': [0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
  '1-3': [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  '2-2': [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
  '2-3': [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
};

/** MPEG audio, layers II and III. ISO/IEC 11172-3 2.4.1.3, 13818-3 2.4.1. */
export const readMpegAudioHeader: AudioHeaderReader = (data, at, end) => {
  if (at + 4 > end || data[at] !== 0xff || ((data[at + 1] as number) & 0xf0) !== 0xf0) return null;
  const b = data[at + 1] as number;
  const c = data[at + 2] as number;
  const mpeg1 = (b & 8) !== 0;
  const layer = 4 - ((b >> 1) & 3);
  const kbps = MPA_KBPS[`${mpeg1 ? '1' : '2'}-${layer}`]?.[c >> 4];
  const base = MPA_RATES[(c >> 2) & 3];
  if (!kbps || base === undefined) return null;
  const rate = mpeg1 ? base : base / 2;
  const samples = layer === 3 && !mpeg1 ? 576 : 1152;
  const frameBytes = Math.floor(((samples / 8) * kbps * 1000) / rate) + ((c >> 1) & 1);
  return { frameBytes, samples, sampleRateHz: rate, bitRate: kbps * 1000, ...withLfe((data[at + 3] as number) >> 6 === 3 ? 1 : 2, false) };
};

/** Ticks of 27 MHz that a frame lasts; a fraction for rates of the 44.1 kHz family. */
export const frameTicks = (header: AudioFrameHeader): number => (header.samples * TICKS_PER_SECOND) / header.sampleRateHz;
