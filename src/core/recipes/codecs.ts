import type { AudioCodec, VideoCodec } from '../reading';
import type { Container, CopyAudio, CopyVideo } from './recipe';

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
};
/** What is encoded for a container, of what can be chosen; the first stands in where something else was wished. */
export const ENCODES: Readonly<Record<Container, { readonly video: readonly CopyVideo[]; readonly audio: readonly CopyAudio[] }>> = {
  Matroska: { video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'AV1', 'VP9', 'FFV1'], audio: ['AAC', 'Opus', 'AC-3', 'FLAC'] },
  MP4: { video: ['H.264', 'HEVC', 'HEVC, 10 bit', 'AV1', 'VP9'], audio: ['AAC', 'AC-3', 'FLAC', 'Opus'] },
  QuickTime: { video: ['H.264', 'HEVC', 'HEVC, 10 bit'], audio: ['AAC', 'AC-3'] },
  WebM: { video: ['VP9', 'AV1'], audio: ['Opus'] },
};

/** The usual value of each encoder's own scale, and its ends. */
export const QUALITY: Readonly<Record<Exclude<CopyVideo, 'as it is' | 'FFV1'>, { usual: number; best: number; least: number }>> = {
  'H.264': { usual: 20, best: 10, least: 40 },
  HEVC: { usual: 22, best: 10, least: 40 },
  'HEVC, 10 bit': { usual: 22, best: 10, least: 40 },
  AV1: { usual: 30, best: 10, least: 60 },
  VP9: { usual: 31, best: 10, least: 60 },
};

export const KBPS: Readonly<Record<Exclude<CopyAudio, 'as it is' | 'FLAC'>, number>> = { AAC: 80, Opus: 64, 'AC-3': 96 };
/** AC-3 knows only some rates (ATSC A/52 table 5.18). */
export const AC3_KBPS = [96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640] as const;
export const MOST_AC3_CHANNELS = 6;
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
};
