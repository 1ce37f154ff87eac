import { CODING, audioChannels, audioRate, videoFormat, type PlaylistStream, type StreamAttributes } from '../../bluray';
import {
  APART_STREAM,
  CORE_STREAM,
  type ApartClip,
  type AudioCodec,
  type AudioTrack,
  type SubtitleTrack,
  type VideoCodec,
  type VideoTrack,
} from '../tracks';
import type { ClipProbe } from './probe-transport';

const VIDEO_CODECS: Readonly<Record<number, VideoCodec>> = {
  [CODING.mpeg1Video]: 'MPEG-1',
  [CODING.mpeg2Video]: 'MPEG-2',
  [CODING.h264]: 'H.264',
  [CODING.hevc]: 'HEVC',
  [CODING.vc1]: 'VC-1',
};
const AUDIO_CODECS: Readonly<Record<number, AudioCodec>> = {
  [CODING.lpcm]: 'LPCM',
  [CODING.ac3]: 'AC-3',
  [CODING.eac3]: 'E-AC-3',
  [CODING.secondaryEac3]: 'E-AC-3',
  [CODING.trueHd]: 'TrueHD',
  [CODING.dts]: 'DTS',
  [CODING.dtsHdHigh]: 'DTS-HD',
  [CODING.dtsHdMaster]: 'DTS-HD Master',
  [CODING.secondaryDts]: 'DTS Express',
  [CODING.mpeg1Audio]: 'MPEG audio',
  [CODING.mpeg2Audio]: 'MPEG audio',
};

const tags = new Map<string, string | null>();

/** BCP 47 tag of a three-letter code, the shortest there is ("deu" and "ger" are "de"). */
export function languageTag(code: string | null): string | null {
  if (code === null || code === 'und') return null;
  let tag = tags.get(code);
  if (tag === undefined) {
    try {
      tag = Intl.getCanonicalLocales(code)[0] ?? null;
    } catch {
      tag = null;
    }
    if (tags.size < 1000) tags.set(code, tag);
  }
  return tag;
}

const reduced = (a: number, b: number): readonly [number, number] => {
  let [x, y] = [a, b];
  while (y) [x, y] = [y, x % y];
  return x > 0 ? [a / x, b / x] : [16, 9];
};

/**
 * The main video track, from the stream's own headers where they were seen.
 * @param layer stream of a second layer that the tables list beside it; null where they list none.
 */
export function blurayVideo(
  stream: PlaylistStream,
  probe: ClipProbe | null,
  layer: number | null,
  secondView: VideoTrack['secondView'],
): VideoTrack {
  const { attributes, pid } = stream;
  const tables = videoFormat(attributes);
  const seen = probe?.video.get(pid) ?? null;
  const [sampleWide, sampleHigh] = seen?.sampleAspect ?? [1, 1];
  const widthPixels = seen?.widthPixels ?? tables.widthPixels;
  const heightPixels = seen?.heightPixels ?? tables.heightPixels;
  const dolby = layer !== null || attributes.dynamicRange === 2 || (seen?.dolbyUnits ?? false);
  const hdr = attributes.dynamicRange === 1 || (seen?.hdr10 ?? null) !== null;
  return {
    stream: pid,
    codec: VIDEO_CODECS[attributes.coding] ?? 'H.264',
    standard: null,
    widthPixels,
    heightPixels,
    displayAspect: reduced(widthPixels * sampleWide, heightPixels * sampleHigh),
    frameRate: tables.frameRate,
    frameTicks: tables.frameTicks,
    interlaced: tables.interlaced,
    profile: seen && seen.profile !== '' ? `${seen.profile} ${seen.level}` : null,
    bitDepth: seen?.bitDepth ?? 8,
    closedCaptions: false,
    dynamicRange: dolby ? 'Dolby Vision' : hdr ? 'HDR10' : 'standard',
    ...(layer === null ? {} : { layer }),
    secondView,
    from: seen ? 'stream' : 'tables',
  };
}

function fromTables(attributes: StreamAttributes) {
  const channels = audioChannels(attributes.format);
  const layout = channels === 1 ? 'mono' : channels === 2 ? 'stereo' : '5.1';
  return { channels, layout, sampleRateHz: audioRate(attributes.rate), bitDepth: null, bitRate: null, from: 'tables' as const };
}

/** Key of a stream that stands in a clip of its own. */
const apartKey = ({ subPath, pid }: PlaylistStream) => APART_STREAM * ((subPath ?? 0) + 1) + pid;

/**
 * One or two tracks of an audio stream: a TrueHD stream also has an AC-3 core, which can be taken for itself where it comes with the picture.
 * @param apart where it stands in clips of its own; null where it comes with the picture.
 */
export function blurayAudio(
  stream: PlaylistStream,
  probe: ClipProbe | null,
  secondary: boolean,
  apart: AudioTrack['apart'] = null,
): AudioTrack[] {
  const { attributes, pid } = stream;
  const seen = probe?.audio.get(pid) ?? null;
  const common = {
    stream: apart ? apartKey(stream) : pid,
    apart,
    codec: AUDIO_CODECS[attributes.coding] ?? ('unknown' as const),
    coreOf: null,
    language: languageTag(attributes.language),
    purpose: secondary ? ('commentary' as const) : null,
  };
  if (!seen) return [{ ...common, ...fromTables(attributes) }];
  const { channels, layout, sampleRateHz, bitDepth, bitRate, core } = seen;
  const track: AudioTrack = { ...common, channels, layout, sampleRateHz, bitDepth, bitRate: bitRate || null, from: 'stream' };
  if (!core || apart) return [track];
  return [
    track,
    {
      ...common,
      stream: pid + CORE_STREAM,
      codec: 'AC-3',
      coreOf: pid,
      channels: core.channels,
      layout: core.layout,
      sampleRateHz: core.sampleRateHz,
      bitDepth: null,
      bitRate: core.bitRate,
      from: 'stream',
    },
  ];
}

/** @param apart where it stands in a clip of its own; null where it comes with the picture. */
export function bluraySubtitle(stream: PlaylistStream, apart: ApartClip | null = null): SubtitleTrack {
  return {
    stream: apart ? apartKey(stream) : stream.pid,
    apart,
    codec: stream.attributes.kind === 'text' ? 'text' : 'PGS',
    language: languageTag(stream.attributes.language),
    purpose: null,
    drawnFor: 'wide',
  };
}
