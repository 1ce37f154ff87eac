export interface VideoAttributes {
  readonly coding: 'MPEG-1' | 'MPEG-2';
  readonly standard: 'NTSC' | 'PAL';
  /** Display aspect as the tables say; the stream's own header decides. */
  readonly aspect: '4:3' | '16:9';
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly letterboxed: boolean;
  readonly film: boolean;
  /** Closed captions in field 1 or 2 of the user data (line 21). */
  readonly closedCaptions: boolean;
}

export type DvdAudioCoding = 'AC-3' | 'MPEG-1 audio' | 'MPEG-2 audio' | 'LPCM' | 'DTS' | 'unknown';

export interface AudioAttributes {
  readonly coding: DvdAudioCoding;
  readonly channels: number;
  readonly sampleRateHz: number;
  readonly bitDepth: number | null;
  /** ISO 639-1 code as written, or null. */
  readonly language: string | null;
  readonly purpose: 'normal' | 'visually impaired' | 'commentary' | 'alternative commentary' | null;
}

export interface SubpictureAttributes {
  readonly language: string | null;
  readonly purpose:
    | 'normal'
    | 'large'
    | 'children'
    | 'captions'
    | 'large captions'
    | "children's captions"
    | 'forced'
    | 'commentary'
    | 'large commentary'
    | "children's commentary"
    | null;
}

const WIDTHS = [720, 704, 352, 352] as const;

/** Video attributes, 2 bytes. DVD-Video: V_ATR. */
export function parseVideoAttributes(data: Uint8Array): VideoAttributes {
  const [a = 0, b = 0] = data;
  const pal = ((a >> 4) & 3) === 1;
  const size = (b >> 2) & 3;
  const full = pal ? 576 : 480;
  return {
    coding: a >> 6 === 0 ? 'MPEG-1' : 'MPEG-2',
    standard: pal ? 'PAL' : 'NTSC',
    aspect: ((a >> 2) & 3) === 3 ? '16:9' : '4:3',
    widthPixels: WIDTHS[size] ?? 720,
    heightPixels: size === 3 ? full / 2 : full,
    letterboxed: (b & 0x02) !== 0,
    film: (b & 0x01) !== 0,
    closedCaptions: (b & 0xc0) !== 0,
  };
}

const AUDIO_CODING: Readonly<Record<number, DvdAudioCoding>> = { 0: 'AC-3', 2: 'MPEG-1 audio', 3: 'MPEG-2 audio', 4: 'LPCM', 6: 'DTS' };
const AUDIO_PURPOSE = [null, 'normal', 'visually impaired', 'commentary', 'alternative commentary'] as const;
const SUBPICTURE_PURPOSE = [
  null,
  'normal',
  'large',
  'children',
  null,
  'captions',
  'large captions',
  "children's captions",
  null,
  'forced',
  null,
  null,
  null,
  'commentary',
  'large commentary',
  "children's commentary",
] as const;

/** Language bytes: two letters, or nothing that can be used (zero, blank, invented bytes). */
function language(data: Uint8Array, at: number): string | null {
  const code = String.fromCharCode(data[at] ?? 0, data[at + 1] ?? 0).toLowerCase();
  return /^[a-z]{2}$/.test(code) ? code : null;
}

/** Audio attributes, 8 bytes. DVD-Video: A_ATR. */
export function parseAudioAttributes(data: Uint8Array): AudioAttributes {
  const [a = 0, b = 0] = data;
  const coding = AUDIO_CODING[a >> 5] ?? 'unknown';
  return {
    coding,
    channels: (b & 7) + 1,
    sampleRateHz: ((b >> 4) & 3) === 1 ? 96000 : 48000,
    bitDepth: coding === 'LPCM' ? ([16, 20, 24][b >> 6] ?? null) : null,
    language: ((a >> 2) & 3) === 1 ? language(data, 2) : null,
    purpose: AUDIO_PURPOSE[data[5] ?? 0] ?? null,
  };
}

/** Subpicture attributes, 6 bytes. DVD-Video: SP_ATR. */
export function parseSubpictureAttributes(data: Uint8Array): SubpictureAttributes {
  return { language: ((data[0] ?? 0) & 3) === 1 ? language(data, 2) : null, purpose: SUBPICTURE_PURPOSE[data[5] ?? 0] ?? null };
}

/** Stream counts say how many attribute records are used; more than there is room for is not believed. */
export function attributeRecords<T>(data: Uint8Array, countAt: number, size: number, room: number, parse: (record: Uint8Array) => T): T[] {
  const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  if (countAt + 2 + size * room > data.byteLength) return [];
  const count = Math.min(view.getUint16(countAt), room);
  return Array.from({ length: count }, (_, i) => parse(data.subarray(countAt + 2 + i * size, countAt + 2 + (i + 1) * size)));
}
