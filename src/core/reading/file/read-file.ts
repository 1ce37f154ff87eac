import { DiscError } from '../../bytes';
import { READING_VERSION, type Chapter, type Reading, type Remark, type SpanSegment } from '../model';
import { type AudioCodec, type AudioTrack, type SubtitleCodec, type SubtitleTrack, type VideoCodec, type VideoTrack } from '../tracks';

/** What a prober says of a plain video file, as far as it is used here. Texts are foreign. */
export interface ProbedFile {
  readonly name: string;
  readonly sizeBytes: number;
  readonly container: string;
  readonly title: string | null;
  /** As the container says of the whole file; null where it does not. */
  readonly language?: string | null;
  readonly durationMs: number;
  readonly streams: readonly ProbedStream[];
  readonly chapters: readonly { readonly startMs: number; readonly name: string | null }[];
}

export interface ProbedStream {
  readonly index: number;
  readonly kind: 'video' | 'audio' | 'subtitle' | 'other';
  readonly codec: string;
  readonly profile: string | null;
  readonly language: string | null;
  readonly widthPixels: number;
  readonly heightPixels: number;
  /** Width of a pixel by its height; 1/1 where it is not said. */
  readonly pixelAspect: readonly [number, number];
  readonly frameRate: readonly [number, number];
  /** "progressive", "tt", "bb" …; null where it is not said. */
  readonly fieldOrder: string | null;
  readonly pixelFormat: string | null;
  readonly transfer: string | null;
  readonly dolbyVision: boolean;
  /** Each of its frames holds two views, as its container says: whose comes first. Null for one view. */
  readonly twoViews: 'left first' | 'right first' | null;
  readonly channels: number;
  readonly layout: string;
  readonly sampleRateHz: number;
  readonly bitDepth: number | null;
  readonly bitRate: number | null;
  readonly isForced: boolean;
  readonly isCommentary: boolean;
  readonly isHearingImpaired: boolean;
  readonly isVisuallyImpaired: boolean;
  /** A cover or other still picture beside the film. */
  readonly isPicture: boolean;
}

const VIDEO: Readonly<Record<string, VideoCodec>> = {
  mpeg1video: 'MPEG-1',
  mpeg2video: 'MPEG-2',
  h264: 'H.264',
  hevc: 'HEVC',
  vc1: 'VC-1',
  mpeg4: 'MPEG-4',
  av1: 'AV1',
  vp8: 'VP8',
  vp9: 'VP9',
  ffv1: 'FFV1',
  prores: 'ProRes',
  dvvideo: 'DV',
};
const AUDIO: Readonly<Record<string, AudioCodec>> = {
  ac3: 'AC-3',
  eac3: 'E-AC-3',
  truehd: 'TrueHD',
  dts: 'DTS',
  mp2: 'MPEG audio',
  mp3: 'MP3',
  aac: 'AAC',
  flac: 'FLAC',
  opus: 'Opus',
  vorbis: 'Vorbis',
  alac: 'ALAC',
};
/** Subtitles of MP4 are text with a length before it: they become SubRip, word for word. */
const SUBTITLES: Readonly<Record<string, SubtitleCodec>> = {
  dvd_subtitle: 'VobSub',
  hdmv_pgs_subtitle: 'PGS',
  hdmv_text_subtitle: 'text',
  subrip: 'SubRip',
  mov_text: 'SubRip',
  ass: 'ASS',
  ssa: 'ASS',
  webvtt: 'WebVTT',
  dvb_subtitle: 'DVB',
};

const MOST_TRACKS = 32;
const SECTOR_BYTES = 2048;

function divisor(a: number, b: number): number {
  return b === 0 ? a : divisor(b, a % b);
}
function ratio(a: number, b: number): readonly [number, number] {
  const d = divisor(a, b) || 1;
  return [a / d, b / d];
}

function videoOf(stream: ProbedStream): VideoTrack {
  const [n, d] = stream.frameRate[0] > 0 && stream.frameRate[1] > 0 ? stream.frameRate : [25, 1];
  const depth = /p(9|10|12|14|16)(le|be)?$/.exec(stream.pixelFormat ?? '');
  return {
    stream: stream.index,
    codec: VIDEO[stream.codec] ?? 'other',
    standard: null,
    widthPixels: stream.widthPixels,
    heightPixels: stream.heightPixels,
    displayAspect: ratio(stream.widthPixels * stream.pixelAspect[0], stream.heightPixels * stream.pixelAspect[1]),
    frameRate: `${n}/${d}`,
    frameTicks: (27_000_000 * d) / n,
    interlaced: stream.fieldOrder === null ? null : stream.fieldOrder !== 'progressive',
    profile: VIDEO[stream.codec] ? stream.profile : stream.codec,
    bitDepth: depth ? Number(depth[1]) : 8,
    closedCaptions: false,
    dynamicRange: stream.dolbyVision ? 'Dolby Vision' : stream.transfer === 'smpte2084' ? 'HDR10' : 'standard',
    // Only H.264 is known to hold two views in that way.
    secondView:
      stream.twoViews && stream.codec === 'h264' ? { stream: stream.index, baseIsRight: stream.twoViews === 'right first' } : null,
    from: 'stream',
  };
}

/** A stream of sound in a plain file, as its prober describes it. */
export function audioOfFile(stream: ProbedStream): AudioTrack {
  return {
    stream: stream.index,
    codec: AUDIO[stream.codec] ?? (/^pcm_f/.test(stream.codec) ? 'PCM float' : stream.codec.startsWith('pcm_') ? 'PCM' : 'unknown'),
    coreOf: null,
    apart: null,
    channels: stream.channels,
    layout: stream.layout,
    sampleRateHz: stream.sampleRateHz,
    bitDepth: stream.bitDepth,
    bitRate: stream.bitRate,
    language: stream.language,
    purpose: stream.isCommentary ? 'commentary' : stream.isVisuallyImpaired ? 'visually impaired' : null,
    from: 'stream',
  };
}

function subtitleOf(stream: ProbedStream): SubtitleTrack[] {
  const codec = SUBTITLES[stream.codec];
  if (!codec) return [];
  const purpose = stream.isForced ? 'forced' : stream.isCommentary ? 'commentary' : stream.isHearingImpaired ? 'captions' : null;
  return [{ stream: stream.index, codec, language: stream.language, purpose, apart: null, drawnFor: 'wide' }];
}

/** Chapters with a beginning at zero, in order, none of them empty. */
function chaptersOf(file: ProbedFile): Chapter[] {
  const inside = file.chapters.filter((c) => c.startMs >= 0 && c.startMs < file.durationMs).sort((a, b) => a.startMs - b.startMs);
  const starts = inside.filter((c, i) => i === 0 || c.startMs > (inside[i - 1]?.startMs ?? 0));
  if ((starts[0]?.startMs ?? 1) > 0) starts.unshift({ startMs: 0, name: null });
  return starts.slice(0, 999).map((chapter, i) => ({
    number: i + 1,
    startMs: Math.round(chapter.startMs),
    durationMs: Math.round((starts[i + 1]?.startMs ?? file.durationMs) - chapter.startMs),
    firstPart: i,
    damaged: false,
    name: chapter.name,
  }));
}

/**
 * A plain video file as a reading with one title.
 * @param fingerprint 64 hexadecimal digits over the file's content.
 * @throws DiscError `not-a-disc` where the file has no moving picture.
 */
export function readingOfFile(file: ProbedFile, fingerprint: string): Reading {
  const picture = file.streams.find((s) => s.kind === 'video' && !s.isPicture && s.widthPixels > 0 && s.heightPixels > 0);
  if (!picture)
    throw new DiscError('not-a-disc', { source: file.name, byteOffset: 0 }, 'The file holds no moving picture that FFmpeg knows');
  const chapters = chaptersOf(file);
  const perMs = file.sizeBytes / Math.max(1, file.durationMs);
  const sectorAt = (ms: number) => Math.floor((ms * perMs) / SECTOR_BYTES);
  const segments = chapters.map((c, i): SpanSegment => {
    const toMs = c.startMs + c.durationMs;
    const firstSector = sectorAt(c.startMs);
    const endSector = i === chapters.length - 1 ? Math.ceil(file.sizeBytes / SECTOR_BYTES) : sectorAt(toMs);
    return {
      kind: 'span',
      id: `file@${c.startMs}-${toMs}`,
      content: 'file',
      firstSector,
      lastSector: Math.max(firstSector, endSector - 1),
      discSector: firstSector,
      durationMs: c.durationMs,
      stillSeconds: 0,
      fromMs: c.startMs,
      toMs,
    };
  });
  const audio = file.streams.filter((s) => s.kind === 'audio').slice(0, MOST_TRACKS);
  const subtitles = file.streams.filter((s) => s.kind === 'subtitle').flatMap(subtitleOf);
  const left = file.streams.filter(
    (s) => s.kind === 'other' || (s.kind === 'video' && s !== picture) || (s.kind === 'subtitle' && !SUBTITLES[s.codec]),
  );
  const remarks: Remark[] = left.slice(0, 20).map((s) => ({
    code: 'not-taken',
    severity: 'note',
    title: null,
    detail: `Stream ${s.index} (${s.codec}) is neither the film, its sound nor subtitles`,
  }));
  return {
    version: READING_VERSION,
    kind: 'Video file',
    label: file.title ?? file.name.replace(/^.*[/\\]/, '').replace(/\.[^.]+$/, ''),
    fileSystem: 'file',
    sizeBytes: file.sizeBytes,
    fingerprint,
    contents: 1,
    names: [],
    javaMenus: false,
    titles: [
      {
        number: 1,
        titleSet: null,
        titleInSet: null,
        playlist: null,
        over: null,
        levels: null,
        measured: null,
        sample: null,
        state: 'usable',
        durationMs: Math.round(file.durationMs),
        sizeBytes: file.sizeBytes,
        angles: 1,
        chapters,
        parts: segments.map((s) => ({ segment: s.id, angle: null, companion: null, seamless: false, moved: null })),
        video: videoOf(picture),
        audio: audio.map(audioOfFile),
        subtitles: subtitles.slice(0, MOST_TRACKS),
        palette: [],
      },
    ],
    segments,
    loose: [],
    damage: [],
    looked: null,
    routes: [],
    remarks,
  };
}
