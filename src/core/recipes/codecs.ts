import type { AudioCodec, VideoCodec } from '../reading';
import type { Container, CopyAudio, CopyVideo, Recipe } from './recipe';

/** What containers carry and encoders take: the tables that plans are made by. */

/** Codecs that containers carry: RFC 9559 for Matroska; the registered sample entries of MP4; WebM by its own guidelines. */
export const CARRIES: Readonly<
  Record<Container, { readonly video: ReadonlySet<VideoCodec> | null; readonly audio: ReadonlySet<AudioCodec> | null }>
> = {
  Matroska: { video: null, audio: null },
  MP4: {
    video: new Set<VideoCodec>(['MPEG-2', 'H.264', 'HEVC', 'MPEG-4', 'AV1', 'VP9']),
    audio: new Set<AudioCodec>(['AAC', 'AC-3', 'E-AC-3', 'MP3', 'ALAC', 'FLAC', 'Opus', 'MPEG audio']),
  },
  QuickTime: {
    video: new Set<VideoCodec>(['MPEG-2', 'H.264', 'HEVC', 'MPEG-4', 'ProRes', 'DV']),
    audio: new Set<AudioCodec>(['AAC', 'AC-3', 'E-AC-3', 'MP3', 'ALAC', 'MPEG audio']),
  },
  WebM: { video: new Set<VideoCodec>(['VP8', 'VP9', 'AV1']), audio: new Set<AudioCodec>(['Opus', 'Vorbis']) },
  'MPEG transport stream': {
    video: new Set<VideoCodec>(['MPEG-1', 'MPEG-2', 'H.264', 'HEVC']),
    audio: new Set<AudioCodec>(['AAC', 'AC-3', 'E-AC-3', 'MP3', 'MPEG audio', 'DTS']),
  },
  AVI: { video: new Set<VideoCodec>(['MPEG-4']), audio: new Set<AudioCodec>(['MP3', 'AC-3', 'MPEG audio']) },
  FLAC: { video: new Set(), audio: new Set<AudioCodec>(['FLAC']) },
  MP3: { video: new Set(), audio: new Set<AudioCodec>(['MP3']) },
  Ogg: { video: new Set(), audio: new Set<AudioCodec>(['Opus']) },
};
/** Containers with a place for chapters. */
export const CARRIES_CHAPTERS: ReadonlySet<Container> = new Set<Container>(['Matroska', 'MP4', 'QuickTime', 'WebM', 'MP3', 'Ogg']);
/** Containers with a place for a cover: attachments of Matroska, `covr` of MP4, picture blocks of FLAC, `APIC` of ID3. */
export const CARRIES_COVER: ReadonlySet<Container> = new Set<Container>(['Matroska', 'MP4', 'FLAC', 'MP3']);
/** What is encoded for a container, of what can be chosen; the first stands in where something else was wished. */
export const ENCODES: Readonly<Record<Container, { readonly video: readonly CopyVideo[]; readonly audio: readonly CopyAudio[] }>> = {
  Matroska: {
    video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'AV1', 'VP9', 'FFV1', 'MPEG-2', 'MPEG-4'],
    audio: ['AAC', 'Opus', 'AC-3', 'E-AC-3', 'MP3', 'FLAC', 'PCM'],
  },
  MP4: { video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'AV1', 'VP9', 'MPEG-4'], audio: ['AAC', 'AC-3', 'E-AC-3', 'MP3', 'FLAC', 'Opus'] },
  QuickTime: { video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'MPEG-2'], audio: ['AAC', 'AC-3', 'PCM'] },
  WebM: { video: ['VP9', 'AV1'], audio: ['Opus'] },
  'MPEG transport stream': { video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'MPEG-2'], audio: ['AAC', 'AC-3', 'E-AC-3', 'MP3'] },
  AVI: { video: ['MPEG-4'], audio: ['MP3', 'AC-3'] },
  FLAC: { video: [], audio: ['FLAC'] },
  MP3: { video: [], audio: ['MP3'] },
  Ogg: { video: [], audio: ['Opus'] },
};

/** The usual value of each encoder's own scale, and its ends. */
export const QUALITY: Readonly<Record<Exclude<CopyVideo, 'as it is' | 'FFV1'>, { usual: number; best: number; least: number }>> = {
  'H.264': { usual: 20, best: 10, least: 40 },
  HEVC: { usual: 22, best: 10, least: 40 },
  'HEVC, 10 bit': { usual: 22, best: 10, least: 40 },
  AV1: { usual: 30, best: 10, least: 60 },
  VP9: { usual: 31, best: 10, least: 60 },
  'MPEG-2': { usual: 4, best: 2, least: 20 },
  'MPEG-4': { usual: 4, best: 2, least: 20 },
};

export const KBPS: Readonly<Record<Exclude<CopyAudio, 'as it is' | 'FLAC' | 'PCM'>, number>> = {
  AAC: 80,
  Opus: 64,
  'AC-3': 96,
  'E-AC-3': 80,
  MP3: 96,
};
/** AC-3 knows only some rates (ATSC A/52 table 5.18). */
export const AC3_KBPS = [96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640] as const;
/** MPEG-1 layer III (ISO/IEC 11172-3 table of bit rates). */
export const MP3_KBPS = [64, 80, 96, 112, 128, 160, 192, 224, 256, 320] as const;
export const MOST_CODED_CHANNELS: Readonly<Record<Exclude<CopyAudio, 'as it is'>, number>> = {
  AAC: 8,
  Opus: 8,
  'AC-3': 6,
  'E-AC-3': 6,
  MP3: 2,
  FLAC: 8,
  PCM: 8,
};
/** FLAC takes about half of 16 bit at 48 kHz; PCM is written with 24. */
export const FLAC_KBPS_PER_CHANNEL = 400;
export const PCM_KBPS_PER_CHANNEL = 1152;
/** A track that is copied, where nobody knows better. */
export const COPIED_KBPS = 384;
/** What the container itself takes, as a share of what is in it: packets of a transport stream each have a head. */
export const CONTAINER_SHARE: Readonly<Record<Container, number>> = {
  Matroska: 1.01,
  MP4: 1.01,
  QuickTime: 1.01,
  WebM: 1.01,
  'MPEG transport stream': 1.08,
  AVI: 1.02,
  FLAC: 1.01,
  MP3: 1.01,
  Ogg: 1.01,
};
/** A sample rate of 48 kHz, 24 bit: more than any encoder here is asked for a channel. */
export const MOST_KBPS = 512;

/** Pictures between two key pictures that encoders choose by themselves at the most: x264, x265, SVT-AV1 (five seconds and more), libvpx, FFV1 as it is asked. */
export const USUAL_KEYS: Readonly<Record<Exclude<CopyVideo, 'as it is'>, number>> = {
  'H.264': 250,
  HEVC: 250,
  'HEVC, 10 bit': 250,
  AV1: 161,
  VP9: 128,
  FFV1: 1,
  'MPEG-2': 12,
  'MPEG-4': 12,
};

/** Pictures a second of film, exactly: what was sped up for television had one of these. */
export const FILM_RATE = { '24': { numerator: 24, denominator: 1 }, '23.976': { numerator: 24_000, denominator: 1001 } } as const;

/** Whether a recipe leaves a picture as it is: it wants to, and its container carries that codec. */
export function copiesVideo({ container, video }: Pick<Recipe, 'container' | 'video'>, codec: VideoCodec): boolean {
  const carried = CARRIES[container].video;
  return video.codec === 'as it is' && (!carried || carried.has(codec));
}
