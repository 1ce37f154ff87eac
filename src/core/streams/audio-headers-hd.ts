import { BitReader } from '../bytes';
import { readAc3Header, readDtsHeader, withLfe, type AudioFrameHeader } from './audio-headers';

/** Audio of Blu-ray beyond what a DVD carries. A header may say more than the frame's own bytes: `frameBytes` covers the extensions. */
export interface HdAudioHeader extends AudioFrameHeader {
  readonly bitDepth: number | null;
}

const EAC3_RATES = [48000, 44100, 32000] as const;
const EAC3_HALF_RATES = [24000, 22050, 16000] as const;
const EAC3_BLOCKS = [1, 2, 3, 6] as const;
const AC3_CHANNELS = [2, 1, 2, 3, 3, 4, 4, 5] as const;

interface Eac3Frame {
  readonly bytes: number;
  readonly dependent: boolean;
  readonly samples: number;
  readonly sampleRateHz: number;
  readonly channels: number;
  readonly lfe: boolean;
}

/** One frame, E-AC-3 or the plain AC-3 that such a stream may be built on. ETSI TS 102 366 E.1.3. */
function readEac3Frame(data: Uint8Array, at: number, end: number): Eac3Frame | null {
  if (at + 8 > end || data[at] !== 0x0b || data[at + 1] !== 0x77) return null;
  const identifier = (data[at + 5] as number) >> 3;
  if (identifier <= 10) {
    const plain = readAc3Header(data, at, end);
    if (!plain) return null;
    const lfe = plain.layout.endsWith('.1');
    const { samples, sampleRateHz } = plain;
    return { bytes: plain.frameBytes, dependent: false, samples, sampleRateHz, channels: plain.channels - (lfe ? 1 : 0), lfe };
  }
  if (identifier > 16) return null;
  const bits = new BitReader(data, at + 2);
  const kind = bits.read(2);
  bits.skip(3);
  const bytes = (bits.read(11) + 1) * 2;
  const rateCode = bits.read(2);
  const second = bits.read(2);
  const rate = rateCode === 3 ? EAC3_HALF_RATES[second] : EAC3_RATES[rateCode];
  const blocks = rateCode === 3 ? 6 : (EAC3_BLOCKS[second] ?? 6);
  const mode = bits.read(3);
  const lfe = bits.read(1) === 1;
  if (rate === undefined || kind === 3) return null;
  return { bytes, dependent: kind === 1, samples: blocks * 256, sampleRateHz: rate, channels: AC3_CHANNELS[mode] ?? 2, lfe };
}

const MOST_SUBSTREAMS = 8;

/**
 * An E-AC-3 access unit: an independent frame and the dependent ones after it, which add channels.
 * @returns `'more'` where the next frame's head is not there yet.
 */
export function readEac3Unit(data: Uint8Array, at: number, end: number): HdAudioHeader | null | 'more' {
  if (at + 8 > end) return 'more';
  const first = readEac3Frame(data, at, end);
  if (!first || first.dependent) return null;
  let next = at + first.bytes;
  let channels = first.channels + (first.lfe ? 1 : 0);
  for (let i = 0; i < MOST_SUBSTREAMS; i++) {
    if (next + 8 > end) return 'more';
    const frame = readEac3Frame(data, next, end);
    if (!frame?.dependent) break;
    next += frame.bytes;
    channels = Math.max(channels, 8); // a dependent frame on a disc brings 5.1 up to 7.1
  }
  const bytes = next - at;
  return {
    frameBytes: bytes,
    samples: first.samples,
    sampleRateHz: first.sampleRateHz,
    bitRate: Math.round((bytes * 8 * first.sampleRateHz) / first.samples),
    bitDepth: null,
    ...(channels === 8 ? { channels, layout: '7.1' } : withLfe(first.channels, first.lfe)),
  };
}

/** Channels that each bit of a TrueHD channel assignment stands for. */
const TRUEHD_CHANNELS = [2, 1, 1, 2, 2, 2, 2, 1, 1, 2, 2, 1, 1] as const;
const TRUEHD_LFE = 1 << 2;
const TRUEHD_LFE2 = 1 << 12;

export interface TrueHdSync {
  readonly samples: number;
  readonly sampleRateHz: number;
  readonly channels: number;
  readonly layout: string;
  readonly subStreams: number;
}

/** Bytes of a TrueHD access unit, from its first word; null where it is not believable. */
export function trueHdUnitBytes(data: Uint8Array, at: number, end: number): number | null {
  if (at + 4 > end) return null;
  const bytes = ((((data[at] as number) & 15) << 8) | (data[at + 1] as number)) * 2;
  return bytes >= 8 ? bytes : null;
}

/** The major sync of an access unit, where it has one: what decoding can begin with. Dolby TrueHD high-level bitstream description, 4.2. */
export function readTrueHdSync(data: Uint8Array, at: number, end: number): TrueHdSync | null {
  if (at + 16 > end || data[at + 4] !== 0xf8 || data[at + 5] !== 0x72 || data[at + 6] !== 0x6f || data[at + 7] !== 0xba) return null;
  const bits = new BitReader(data, at + 8);
  const code = bits.read(4);
  const double = code & 7;
  if (double > 2) return null;
  bits.skip(4 + 4);
  const six = bits.read(5);
  bits.skip(2);
  const eight = bits.read(13);
  const assigned = eight || six;
  const channels = TRUEHD_CHANNELS.reduce((sum: number, n, i) => sum + ((assigned >> i) & 1 ? n : 0), 0);
  const lfe = ((assigned & TRUEHD_LFE) !== 0 ? 1 : 0) + ((assigned & TRUEHD_LFE2) !== 0 ? 1 : 0);
  return {
    samples: 40 << double,
    sampleRateHz: (code & 8 ? 44100 : 48000) << double,
    channels,
    layout: lfe ? `${channels - lfe}.${lfe}` : withLfe(channels, false).layout,
    subStreams: at + 21 <= end ? (data[at + 20] as number) >> 4 : 1,
  };
}

const DTS_EXTENSION = [0x64, 0x58, 0x20, 0x25] as const;
const DTS_CLOCKS = [32000, 44100, 48000] as const;
const DTS_HD_RATES = [
  8000, 16000, 32000, 64000, 128000, 22050, 44100, 88200, 176400, 352800, 12000, 24000, 48000, 96000, 192000, 384000,
] as const;
const EXTENSION_HEAD_BYTES = 64;

interface DtsExtension {
  readonly bytes: number;
  /** Frame length where this sub-stream stands alone. */
  readonly samples: number | null;
  readonly clockHz: number | null;
  readonly channels: number | null;
  readonly sampleRateHz: number | null;
  readonly bitDepth: number | null;
}

const isExtension = (data: Uint8Array, at: number) => DTS_EXTENSION.every((byte, i) => data[at + i] === byte);

/** Head of an extension sub-stream and of its first asset. ETSI TS 102 114 7.4 and 7.5. */
function readExtension(data: Uint8Array, at: number): DtsExtension {
  const bits = new BitReader(data.subarray(at + 5, at + 5 + EXTENSION_HEAD_BYTES));
  const index = bits.read(2);
  const long = bits.read(1) === 1;
  bits.skip(long ? 12 : 8);
  const sizeBits = long ? 20 : 16;
  const bytes = bits.read(sizeBits) + 1;
  const none = { bytes, samples: null, clockHz: null, channels: null, sampleRateHz: null, bitDepth: null };
  if (bits.read(1) === 0) return none;
  const clockHz = DTS_CLOCKS[bits.read(2)] ?? null;
  const samples = (bits.read(3) + 1) * 512;
  if (bits.read(1) === 1) bits.skip(36);
  const presentations = bits.read(3) + 1;
  const assets = bits.read(3) + 1;
  const masks = Array.from({ length: presentations }, () => bits.read(index + 1));
  for (const mask of masks) for (let i = 0; i <= index; i++) if ((mask >> i) & 1) bits.skip(8);
  if (bits.read(1) === 1) {
    bits.skip(2);
    const maskBits = (bits.read(2) + 1) << 2;
    const configurations = bits.read(2) + 1;
    bits.skip(maskBits * configurations);
  }
  bits.skip(assets * sizeBits);
  bits.skip(9 + 3);
  if (bits.read(1) === 1) bits.skip(4);
  if (bits.read(1) === 1) bits.skip(24);
  if (bits.read(1) === 1) bits.skip((bits.read(10) + 1) * 8);
  const bitDepth = bits.read(5) + 1;
  const sampleRateHz = DTS_HD_RATES[bits.read(4)] ?? null;
  const channels = bits.read(8) + 1;
  if (bits.overran) return { ...none, clockHz, samples };
  return { bytes, samples, clockHz, channels, sampleRateHz, bitDepth };
}

/**
 * A DTS-HD frame: core and extension sub-streams, or an extension alone. ETSI TS 102 114 5.3 and 7.
 * @returns `'more'` where it can not be told yet whether an extension follows.
 */
export function readDtsHdUnit(data: Uint8Array, at: number, end: number): (HdAudioHeader & { readonly coreBytes: number }) | null | 'more' {
  if (at + 16 > end) return 'more';
  const core = readDtsHeader(data, at, end);
  if (!core && !isExtension(data, at)) return null;
  let next = at + (core?.frameBytes ?? 0);
  let found: DtsExtension | null = null;
  for (let i = 0; i < MOST_SUBSTREAMS; i++) {
    if (next + 16 > end) return 'more';
    if (!isExtension(data, next) || (i > 0 && !core)) break;
    const extension = readExtension(data, next);
    if (extension.bytes < 16) break;
    found ??= extension;
    next += extension.bytes;
  }
  const bytes = next - at;
  const samples = core?.samples ?? found?.samples ?? 512;
  const clock = core?.sampleRateHz ?? found?.clockHz ?? 48000;
  const channels = found?.channels ?? core?.channels ?? 2;
  const layout = channels === 6 ? '5.1' : channels === 7 ? '6.1' : channels === 8 ? '7.1' : withLfe(channels, false).layout;
  return {
    frameBytes: bytes,
    coreBytes: core?.frameBytes ?? 0,
    samples,
    sampleRateHz: clock,
    bitRate: Math.round((bytes * 8 * clock) / samples),
    bitDepth: found?.bitDepth ?? null,
    channels,
    layout: found?.channels == null && core ? core.layout : layout,
  };
}
