import type { AudioCodec, VideoCodec } from '../reading';
import type { EncodePlan } from './encode-plan';
import type { Container, EncodeFacts } from './recipe';
import { packingOf } from './views';

/** Codecs that a result's picture may have. */
export const SHAPE_CODECS = [
  'MPEG-1',
  'MPEG-2',
  'MPEG-4',
  'H.264',
  'HEVC',
  'VC-1',
  'AV1',
  'VP8',
  'VP9',
  'FFV1',
  'ProRes',
  'DV',
  'other',
] as const;

/** What a result is, as far as players ask: by its plan beforehand, by a prober afterwards. */
export interface CopyShape {
  readonly container: Container;
  readonly video: {
    readonly codec: (typeof SHAPE_CODECS)[number];
    readonly bitDepth: number;
    readonly widthPixels: number;
    readonly heightPixels: number;
    /** Pictures a second. */
    readonly rate: number;
    readonly interlaced: boolean;
    readonly squarePixels: boolean;
    readonly views: 1 | 2;
  };
  readonly audio: readonly { readonly codec: AudioCodec; readonly channels: number }[];
  readonly bytes: number;
}

/** A codec as a class of players takes it. */
interface VideoLimit {
  readonly codec: VideoCodec | 'FFV1';
  readonly in: readonly Container[];
  readonly bitDepth: 8 | 10 | 16;
  /** Luma samples of a picture and a second. */
  readonly picture: number;
  readonly second: number;
}

export interface Target {
  readonly id: string;
  /** A class of players, in plain words. */
  readonly name: string;
  readonly video: readonly VideoLimit[];
  readonly interlaced: boolean;
  /** Only square pixels are shown in their shape. */
  readonly squareOnly: boolean;
  readonly views: 1 | 2;
  /** What the first audio track may be. */
  readonly audio: readonly AudioCodec[];
  readonly mostChannels: number;
  readonly mostBytes: number | null;
  /** Where the limits come from. */
  readonly from: string;
}

/** Macroblocks have 256 luma samples. H.264 table A-1: MaxFS and MaxMBPS of levels 4.1 and 5.1. */
const AVC_41 = { picture: 8192 * 256, second: 245_760 * 256 };
const AVC_51 = { picture: 36_864 * 256, second: 983_040 * 256 };
/** H.265 tables A.8 and A.9: MaxLumaPs and MaxLumaSr of level 5.1. */
const HEVC_51 = { picture: 8_912_896, second: 534_773_760 };
/** ISO/IEC 13818-2 tables 8-11 to 8-13: main level, and high level of the main profile. */
const MPEG2_MAIN = { picture: 720 * 576, second: 10_368_000 };
const MPEG2_HIGH = { picture: 1920 * 1152, second: 62_668_800 };
const ANY = { picture: Number.POSITIVE_INFINITY, second: Number.POSITIVE_INFINITY };
/** FAT32 keeps the length of a file in 32 bits. */
const FAT32_BYTES = 2 ** 32 - 1;

const limit = (
  codec: VideoLimit['codec'],
  containers: readonly Container[],
  bitDepth: VideoLimit['bitDepth'],
  level: Pick<VideoLimit, 'picture' | 'second'>,
): VideoLimit => ({ codec, in: containers, bitDepth, ...level });

/** Classes of players, by what all of a class have in common: a file inside a row plays on every one of it. */
export const TARGETS: readonly Target[] = [
  {
    id: 'phone',
    name: 'any phone of the last ten years',
    video: [limit('H.264', ['MP4', 'QuickTime'], 8, AVC_41)],
    interlaced: false,
    squareOnly: false,
    views: 1,
    audio: ['AAC'],
    mostChannels: 6,
    mostBytes: null,
    from: 'H.264 High at level 4.1 (ITU-T H.264, table A-1) and AAC-LC in MP4: what hardware decoders have had since then',
  },
  {
    id: 'television',
    name: 'television, from a USB stick',
    video: [
      limit('H.264', ['MP4', 'Matroska', 'MPEG transport stream'], 8, AVC_41),
      limit('HEVC', ['MP4', 'Matroska', 'MPEG transport stream'], 10, HEVC_51),
      limit('MPEG-2', ['Matroska', 'MPEG transport stream'], 8, MPEG2_HIGH),
    ],
    interlaced: true,
    squareOnly: false,
    views: 1,
    audio: ['AAC', 'AC-3', 'E-AC-3', 'MP3', 'MPEG audio'],
    mostChannels: 6,
    mostBytes: FAT32_BYTES,
    from: 'broadcast profiles (ETSI TS 101 154); sticks come with FAT32, whose files end at 4 GiB',
  },
  {
    id: 'browser',
    name: 'web browser',
    video: [
      limit('H.264', ['MP4'], 8, AVC_51),
      limit('VP9', ['WebM', 'MP4'], 8, ANY),
      limit('AV1', ['WebM', 'MP4'], 10, ANY),
      limit('VP8', ['WebM'], 8, ANY),
    ],
    interlaced: false,
    squareOnly: false,
    views: 1,
    audio: ['AAC', 'Opus', 'Vorbis', 'MP3', 'FLAC'],
    mostChannels: 8,
    mostBytes: null,
    from: 'codecs that every engine of today plays without a plug-in (MP4 and WebM byte stream formats of the W3C)',
  },
  {
    id: 'server',
    name: 'media server, untouched',
    video: [
      limit('H.264', ['MP4', 'Matroska', 'QuickTime'], 8, AVC_51),
      limit('HEVC', ['MP4', 'Matroska', 'QuickTime'], 10, HEVC_51),
      limit('AV1', ['MP4', 'Matroska', 'WebM'], 10, ANY),
      limit('VP9', ['Matroska', 'WebM', 'MP4'], 10, ANY),
      limit('MPEG-2', ['Matroska', 'MPEG transport stream'], 8, MPEG2_HIGH),
      limit('VC-1', ['Matroska'], 8, ANY),
    ],
    interlaced: true,
    squareOnly: false,
    views: 1,
    audio: ['AAC', 'AC-3', 'E-AC-3', 'DTS', 'DTS-HD', 'DTS-HD Master', 'TrueHD', 'FLAC', 'Opus', 'MP3', 'MPEG audio', 'LPCM'],
    mostChannels: 8,
    mostBytes: null,
    from: 'what receivers of today decode themselves, so that the server hands files on as they are',
  },
  {
    id: 'upload',
    name: 'upload to a video site',
    video: [
      limit('H.264', ['MP4', 'QuickTime'], 8, AVC_51),
      limit('HEVC', ['MP4', 'QuickTime'], 10, HEVC_51),
      limit('VP9', ['WebM'], 8, ANY),
    ],
    interlaced: false,
    squareOnly: true,
    views: 1,
    audio: ['AAC', 'Opus', 'FLAC'],
    mostChannels: 2,
    mostBytes: null,
    from: 'such sites encode anew: they want whole frames, square pixels and a stereo track',
  },
  {
    id: 'dvd-age',
    name: 'old living-room player',
    video: [limit('MPEG-4', ['AVI'], 8, MPEG2_MAIN)],
    interlaced: false,
    squareOnly: false,
    views: 1,
    audio: ['AC-3', 'MP3', 'MPEG audio'],
    mostChannels: 6,
    mostBytes: FAT32_BYTES,
    from: 'MPEG-4 Visual, Advanced Simple profile at level 5 (ISO/IEC 14496-2, table N.1): no more than a DVD’s picture',
  },
  {
    id: 'headset',
    name: 'headset, stereoscopic',
    video: [limit('H.264', ['MP4'], 8, AVC_51), limit('HEVC', ['MP4'], 10, HEVC_51)],
    interlaced: false,
    squareOnly: false,
    views: 2,
    audio: ['AAC'],
    mostChannels: 2,
    mostBytes: null,
    from: 'both views in one picture (H.264 and H.265, frame packing), decoded at level 5.1',
  },
];

/** What stands in the way, and what would mend it. */
export type Obstacle =
  | { readonly what: 'container'; readonly found: string; readonly allowed: readonly string[] }
  | { readonly what: 'video codec'; readonly found: string; readonly allowed: readonly string[] }
  | { readonly what: 'bit depth'; readonly found: number; readonly allowed: number }
  | { readonly what: 'picture size'; readonly found: string; readonly allowedRows: number }
  | { readonly what: 'picture rate'; readonly found: number; readonly allowed: number }
  | { readonly what: 'interlaced' }
  | { readonly what: 'pixel shape' }
  | { readonly what: 'views'; readonly found: number; readonly wanted: number }
  | { readonly what: 'audio codec'; readonly found: string; readonly allowed: readonly string[] }
  | { readonly what: 'channels'; readonly found: number; readonly allowed: number }
  | { readonly what: 'file size'; readonly found: number; readonly allowed: number };

function videoObstacles(target: Target, { container, video }: CopyShape): Obstacle[] {
  const codecs = [...new Set(target.video.map((v) => v.codec))];
  const of = target.video.find((v) => v.codec === video.codec);
  if (!of) return [{ what: 'video codec', found: video.codec, allowed: codecs }];
  const found: Obstacle[] = [];
  if (!of.in.includes(container)) found.push({ what: 'container', found: container, allowed: of.in });
  if (video.bitDepth > of.bitDepth) found.push({ what: 'bit depth', found: video.bitDepth, allowed: of.bitDepth });
  const samples = video.widthPixels * video.heightPixels;
  if (samples > of.picture) {
    const rows = Math.floor(Math.sqrt((of.picture * video.heightPixels) / video.widthPixels) / 2) * 2;
    found.push({ what: 'picture size', found: `${video.widthPixels} × ${video.heightPixels}`, allowedRows: rows });
  } else if (samples * video.rate > of.second * 1.001)
    found.push({ what: 'picture rate', found: Math.round(video.rate * 100) / 100, allowed: Math.floor(of.second / samples) });
  return found;
}

/** What keeps a result from playing on a class of players; nothing where it plays. */
export function obstaclesOn(target: Target, shape: CopyShape): Obstacle[] {
  const { video, audio, bytes } = shape;
  const found = videoObstacles(target, shape);
  if (video.interlaced && !target.interlaced) found.push({ what: 'interlaced' });
  if (!video.squarePixels && target.squareOnly) found.push({ what: 'pixel shape' });
  if (target.views !== video.views && target.views === 2) found.push({ what: 'views', found: video.views, wanted: target.views });
  const [first] = audio;
  if (first) {
    if (!target.audio.includes(first.codec)) found.push({ what: 'audio codec', found: first.codec, allowed: target.audio });
    if (first.channels > target.mostChannels) found.push({ what: 'channels', found: first.channels, allowed: target.mostChannels });
  }
  if (target.mostBytes !== null && bytes > target.mostBytes) found.push({ what: 'file size', found: bytes, allowed: target.mostBytes });
  return found;
}

/** What a copy will be. @param bytes about how large. */
export function shapeOfPlan(plan: EncodePlan, facts: EncodeFacts, bytes: number): CopyShape {
  const { video } = plan;
  const codec = video.codec === 'copy' ? facts.video.codec : video.codec === 'HEVC, 10 bit' ? 'HEVC' : video.codec;
  return {
    container: plan.container,
    video: {
      codec,
      bitDepth: video.codec === 'copy' ? facts.video.bitDepth : video.bitDepth,
      widthPixels: video.widthPixels,
      heightPixels: video.heightPixels,
      rate: video.picturesPerSecond,
      interlaced: video.codec === 'copy' ? (facts.flaggedInterlaced ?? false) : video.interlaced,
      squarePixels: Math.abs(video.displayAspect * (video.heightPixels / video.widthPixels) - 1) < 0.02,
      views: video.views && packingOf(video.views.layout) ? 2 : 1,
    },
    audio: plan.audio.map((a) => ({
      codec: a.codec === 'copy' ? (facts.audio[a.source]?.codec ?? 'unknown') : a.codec,
      channels: a.channels,
    })),
    bytes,
  };
}

/** Level 4.1 where a picture is inside it, since that is what phones and televisions take; else 5.1; null beyond. For `-level`. */
export function avcLevel(widthPixels: number, heightPixels: number, rate: number): '4.1' | '5.1' | null {
  const samples = Math.ceil(widthPixels / 16) * Math.ceil(heightPixels / 16) * 256;
  const inside = (level: typeof AVC_41) => samples <= level.picture && samples * rate <= level.second * 1.001;
  return inside(AVC_41) ? '4.1' : inside(AVC_51) ? '5.1' : null;
}

/** H.265 tables A.8 and A.9: MaxLumaPs and MaxLumaSr of level 4.1. */
const HEVC_41 = { picture: 2_228_224, second: 133_693_440 };

/** The same for HEVC: level 4.1 is what a picture of 1080 rows needs, 5.1 what televisions of today take; null beyond. */
export function hevcLevel(widthPixels: number, heightPixels: number, rate: number): '4.1' | '5.1' | null {
  const samples = widthPixels * heightPixels;
  const inside = (level: typeof HEVC_41) => samples <= level.picture && samples * rate <= level.second * 1.001;
  return inside(HEVC_41) ? '4.1' : inside(HEVC_51) ? '5.1' : null;
}
