import { privateStream, STREAM, VIDEO_STREAM, type AudioFrameHeader, type LpcmLayout, type StreamKey } from '../../streams';
import type { AudioAttributes, DvdPgc, SubpictureStreams, TitleSet, VideoAttributes } from '../../dvd';
import type { MovedStream } from '../model';
import { OTHER_STREAM, type AudioCodec, type AudioTrack, type SubtitleTrack, type VideoTrack } from '../tracks';
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

/** A program chain of a title, and what was seen of the streams in it. */
export interface ChainInTitle {
  readonly chain: DvdPgc;
  readonly probe: StreamProbe | null;
}

/** Tracks of a title, and where they stand in each of its chains, in their order. */
interface Followed<T> {
  readonly tracks: readonly T[];
  readonly moved: readonly (readonly MovedStream[])[];
}

/**
 * Follows logical streams through the chains of a title, each by its own map: the key of a track is the stream that it has in the
 * first chain with it, or one of its own where another track has that already.
 * @param logical by chain: the stream's key, or null.
 */
function follow<T extends { readonly stream: StreamKey }>(
  logical: readonly { readonly streams: readonly (StreamKey | null)[]; readonly track: (first: number, key: StreamKey) => T }[],
): Followed<T> {
  const found: { readonly key: StreamKey; readonly streams: readonly (StreamKey | null)[]; readonly track: T }[] = [];
  for (const { streams, track } of logical) {
    const first = streams.findIndex((stream) => stream !== null);
    const own = streams[first];
    // The same streams under another name are the same track.
    if (own == null || found.some((other) => other.streams.join() === streams.join())) continue;
    let key = own;
    while (found.some((other) => other.key === key)) key += OTHER_STREAM;
    found.push({ key, streams, track: track(first, key) });
  }
  const chains = logical[0]?.streams.length ?? 0;
  const movedIn = (chain: number) =>
    found.flatMap(({ key, streams }) => (streams[chain] === key ? [] : [{ stream: key, pid: streams[chain] ?? null }]));
  return { tracks: found.map(({ track }) => track), moved: Array.from({ length: chains }, (_, i) => movedIn(i)) };
}

/**
 * Audio tracks of a title, in the order of its set's list: stream numbers on the disc are not track numbers. Behind them what was seen
 * in its content and no table names.
 */
export function audioTracks(set: TitleSet, chains: readonly ChainInTitle[]): Followed<AudioTrack> {
  const named = namedAudio(set, chains);
  const known = new Set<number>([...named.tracks.map((t) => t.stream), ...named.moved.flat().map((m) => m.pid ?? -1)]);
  const seen = new Map(
    chains.flatMap(({ probe }) => [...(probe?.audio.keys() ?? []), ...(probe?.lpcm.keys() ?? [])].map((stream) => [stream, probe])),
  );
  const unclaimed = [...seen].flatMap(([stream, probe]) => {
    const coding = known.has(stream) ? null : codingOf(stream);
    return coding ? [{ ...audioTrack({ ...NO_TABLES, coding }, stream, probe), unclaimed: true }] : [];
  });
  return { ...named, tracks: [...named.tracks, ...unclaimed.sort((a, b) => a.stream - b.stream)] };
}

const NO_TABLES = { channels: 2, sampleRateHz: 48_000, bitDepth: null, language: null, purpose: null } as const;

/** What a stream of sound is by its number alone. */
function codingOf(stream: StreamKey): AudioAttributes['coding'] | null {
  const found = (['AC-3', 'DTS', 'LPCM', 'MPEG-1 audio'] as const).find((coding) => {
    const base = AUDIO_BASE[coding] ?? 0;
    return stream >= base && stream < base + 8;
  });
  return found ?? null;
}

function namedAudio(set: TitleSet, chains: readonly ChainInTitle[]): Followed<AudioTrack> {
  return follow(
    set.audio.flatMap((tables, logical) => {
      const base = AUDIO_BASE[tables.coding];
      if (base === null) return [];
      const streams = chains.map(({ chain }) => {
        const physical = chain.audioStreams[logical] ?? null;
        return physical === null ? null : base + physical;
      });
      return {
        streams,
        track: (first: number, key: StreamKey) => ({
          ...audioTrack(tables, streams[first] ?? key, chains[first]?.probe ?? null),
          stream: key,
        }),
      };
    }),
  );
}

function audioTrack(tables: AudioAttributes, stream: StreamKey, probe: StreamProbe | null): AudioTrack {
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
    return {
      ...common,
      channels: lpcm.channels,
      layout: layoutName(lpcm.channels),
      sampleRateHz: lpcm.sampleRateHz,
      bitDepth: lpcm.bitDepth,
      bitRate: lpcm.channels * lpcm.bitDepth * lpcm.sampleRateHz,
      from: 'stream',
    };
  }
  if (header) {
    return {
      ...common,
      channels: header.channels,
      layout: header.layout,
      sampleRateHz: header.sampleRateHz,
      bitDepth: null,
      bitRate: header.bitRate || null,
      from: 'stream',
    };
  }
  return {
    ...common,
    channels: tables.channels,
    layout: layoutName(tables.channels),
    sampleRateHz: tables.sampleRateHz,
    bitDepth: tables.bitDepth,
    bitRate: null,
    from: 'tables',
  };
}

/** Colours of a title: those of the first chain that has subtitles. */
export const paletteOf = (chains: readonly ChainInTitle[]): readonly number[] =>
  (chains.find(({ chain }) => chain.subpictureStreams.some((s) => s !== null)) ?? chains[0])?.chain.palette ?? [];

/** Streams of a subtitle by the display that they are drawn for. Those of a wide picture that are the same stream are one track. */
const DRAWN_FOR = {
  '4:3': (s: SubpictureStreams) => s.fullScreen,
  wide: (s: SubpictureStreams) => s.wide,
  letterbox: (s: SubpictureStreams) => (s.letterbox === s.wide ? null : s.letterbox),
  'pan and scan': (s: SubpictureStreams) => (s.panScan === s.wide || s.panScan === s.letterbox ? null : s.panScan),
} as const;

/**
 * Subtitle tracks of a title, those for a wide display first. A container has one palette for a track: what a chain shows in other
 * colours is a track of its own.
 */
export function subtitleTracks(set: TitleSet, chains: readonly ChainInTitle[]): Followed<SubtitleTrack> {
  const displays = set.video.aspect === '16:9' ? (['wide', 'letterbox', 'pan and scan'] as const) : (['4:3'] as const);
  const usual = paletteOf(chains).join();
  const palettes = [...new Set([usual, ...chains.map(({ chain }) => chain.palette.join())])];
  return follow(
    displays.flatMap((drawnFor) =>
      set.subpictures.flatMap((tables, logical) =>
        palettes.map((palette) => {
          const streams = chains.map(({ chain }) => {
            const physical = chain.palette.join() === palette ? (chain.subpictureStreams[logical] ?? null) : null;
            const stream = physical && DRAWN_FOR[drawnFor](physical);
            return stream === null ? null : privateStream(0x20 + stream);
          });
          const track = (first: number, stream: StreamKey): SubtitleTrack => ({
            stream,
            codec: 'VobSub',
            apart: null,
            language: bcp47(tables.language),
            purpose: tables.purpose,
            drawnFor,
            ...(palette === usual ? {} : { palette: chains[first]?.chain.palette }),
          });
          return { streams, track };
        }),
      ),
    ),
  );
}
