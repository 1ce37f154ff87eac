import { privateStream, STREAM, VIDEO_STREAM, type AudioFrameHeader, type LpcmLayout, type StreamKey } from '../../streams';
import type { AudioAttributes, DvdPgc, TitleSet, VideoAttributes } from '../../dvd';
import type { AudioCodec, AudioTrack, SubtitleTrack, VideoTrack } from '../tracks';
import type { StreamProbe } from './probe';

const AUDIO_BASE: Readonly<Record<AudioAttributes['coding'], number | null>> = {
  'AC-3': privateStream(0x80),
  DTS: privateStream(0x88),
  LPCM: privateStream(0xa0),
  'MPEG-1 audio': STREAM.audio,
  'MPEG-2 audio': STREAM.audio,
  unknown: null,
};
const CODEC: Readonly<Record<AudioAttributes['coding'], AudioCodec>> = {
  'AC-3': 'AC-3',
  DTS: 'DTS',
  LPCM: 'LPCM',
  'MPEG-1 audio': 'MPEG audio',
  'MPEG-2 audio': 'MPEG audio',
  unknown: 'unknown',
};

/** Two-letter codes that the DVD tables still use and BCP 47 has replaced. */
const OLD_LANGUAGES: Readonly<Record<string, string>> = { iw: 'he', in: 'id', ji: 'yi', jw: 'jv', mo: 'ro', sh: 'sr' };
const bcp47 = (code: string | null): string | null => (code ? (OLD_LANGUAGES[code] ?? code) : null);

/** What no DVD has otherwise. */
const DVD_PICTURE = { interlaced: null, profile: null, bitDepth: 8, dynamicRange: 'standard', secondView: null } as const;

/** The video track: the stream's own header where it was seen, else the tables. */
export function videoTrack(tables: VideoAttributes, probe: StreamProbe | null): VideoTrack {
  const seen = probe?.video ?? null;
  if (seen) {
    return {
      stream: VIDEO_STREAM,
      ...DVD_PICTURE,
      closedCaptions: tables.closedCaptions,
      codec: seen.mpeg2 ? 'MPEG-2' : 'MPEG-1',
      standard: tables.standard,
      widthPixels: seen.widthPixels,
      heightPixels: seen.heightPixels,
      displayAspect: seen.displayAspect ?? (tables.aspect === '16:9' ? [16, 9] : [4, 3]),
      frameRate: seen.frameRate,
      frameTicks: seen.frameTicks,
      from: 'stream',
    };
  }
  const pal = tables.standard === 'PAL';
  return {
    stream: VIDEO_STREAM,
    ...DVD_PICTURE,
    closedCaptions: tables.closedCaptions,
    codec: tables.coding,
    standard: tables.standard,
    widthPixels: tables.widthPixels,
    heightPixels: tables.heightPixels,
    displayAspect: tables.aspect === '16:9' ? [16, 9] : [4, 3],
    frameRate: pal ? '25/1' : '30000/1001',
    frameTicks: pal ? 1_080_000 : 900_900,
    from: 'tables',
  };
}

const layoutName = (channels: number) =>
  channels === 1 ? 'mono' : channels === 2 ? 'stereo' : channels === 6 ? '5.1' : `${channels} channels`;

/** Audio tracks of a program chain, in the order of its own map: stream numbers on the disc are not track numbers. */
export function audioTracks(set: TitleSet, pgc: DvdPgc, probe: StreamProbe | null): AudioTrack[] {
  const tracks: AudioTrack[] = [];
  set.audio.forEach((tables, logical) => {
    const physical = pgc.audioStreams[logical] ?? null;
    const base = AUDIO_BASE[tables.coding];
    if (physical === null || base === null) return;
    const stream: StreamKey = base + physical;
    const header: AudioFrameHeader | undefined = probe?.audio.get(stream);
    const lpcm: LpcmLayout | undefined = probe?.lpcm.get(stream);
    const common = {
      stream,
      coreOf: null,
      apart: null,
      codec: CODEC[tables.coding],
      language: bcp47(tables.language),
      purpose: tables.purpose,
    };
    if (lpcm) {
      tracks.push({
        ...common,
        channels: lpcm.channels,
        layout: layoutName(lpcm.channels),
        sampleRateHz: lpcm.sampleRateHz,
        bitDepth: lpcm.bitDepth,
        bitRate: lpcm.channels * lpcm.bitDepth * lpcm.sampleRateHz,
        from: 'stream',
      });
    } else if (header) {
      tracks.push({
        ...common,
        channels: header.channels,
        layout: header.layout,
        sampleRateHz: header.sampleRateHz,
        bitDepth: null,
        bitRate: header.bitRate || null,
        from: 'stream',
      });
    } else {
      tracks.push({
        ...common,
        channels: tables.channels,
        layout: layoutName(tables.channels),
        sampleRateHz: tables.sampleRateHz,
        bitDepth: tables.bitDepth,
        bitRate: null,
        from: 'tables',
      });
    }
  });
  return tracks;
}

/** Subtitle tracks of a program chain. Of the variants of a wide picture, the wide one is taken. */
export function subtitleTracks(set: TitleSet, pgc: DvdPgc): SubtitleTrack[] {
  const tracks: SubtitleTrack[] = [];
  const wide = set.video.aspect === '16:9';
  set.subpictures.forEach((tables, logical) => {
    const physical = pgc.subpictureStreams[logical] ?? null;
    if (!physical) return;
    const stream = privateStream(0x20 + (wide ? physical.wide : physical.fullScreen));
    tracks.push({
      stream,
      codec: 'VobSub',
      apart: null,
      language: bcp47(tables.language),
      purpose: tables.purpose,
      drawnFor: wide ? 'wide' : '4:3',
    });
  });
  return tracks;
}
