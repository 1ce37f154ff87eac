import {
  READING_VERSION,
  type AudioTrack,
  type Reading,
  type Segment,
  type SubtitleTrack,
  type Title,
  type TitleRoute,
  type VideoTrack,
} from '@/core/reading';

/** Readings made up for tests of what is concluded from them; the structures themselves are tested on real discs. */

export interface TitleSketch {
  /** Segments of 60 s and 10 MB each, by name; the same name is the same material. */
  readonly parts: readonly string[];
  readonly state?: Title['state'];
  readonly audio?: number;
  readonly subtitles?: number;
  /** Chapters begin at every part unless fewer are wished. */
  readonly chapters?: number;
  readonly sample?: string;
}

const SECTORS = 5000;

export const audioTrack = (change: Partial<AudioTrack> = {}): AudioTrack => ({
  stream: 0xbd80,
  codec: 'AC-3',
  coreOf: null,
  apart: null,
  channels: 2,
  layout: 'stereo',
  sampleRateHz: 48000,
  bitDepth: null,
  bitRate: 192_000,
  language: 'en',
  purpose: 'normal',
  from: 'stream',
  ...change,
});
export const subtitleTrack = (change: Partial<SubtitleTrack> = {}): SubtitleTrack => ({
  stream: 0xbd20,
  codec: 'VobSub',
  language: 'en',
  purpose: 'normal',
  apart: null,
  drawnFor: 'wide',
  ...change,
});

export function sketchReading(titles: readonly TitleSketch[], routes: readonly TitleRoute[] = [], change: Partial<Reading> = {}): Reading {
  const names = [...new Set(titles.flatMap((t) => t.parts))];
  const segments = names.map((name, i): Segment => {
    // "long:5" lasts five minutes instead of one.
    const minutes = Number(/:([\d.]+)$/.exec(name)?.[1] ?? 1);
    return {
      kind: 'cell',
      id: name,
      content: 'VTS_01',
      titleSet: 1,
      vobId: i + 1,
      cellId: 1,
      firstSector: i * SECTORS,
      lastSector: (i + 1) * SECTORS - 1,
      discSector: 1000 + i * SECTORS,
      durationMs: Math.round(minutes * 60_000),
      interleaved: false,
      seamless: true,
      clockRestarts: true,
      stillSeconds: 0,
    };
  });
  const find = (id: string): Segment => {
    const segment = segments.find((s) => s.id === id);
    if (!segment) throw new Error(id);
    return segment;
  };
  return {
    version: READING_VERSION,
    kind: 'DVD-Video',
    label: 'TEST_DISC',
    fileSystem: 'UDF',
    sizeBytes: names.length * SECTORS * 2048,
    fingerprint: 'a'.repeat(64),
    contents: 1,
    names: [],
    javaMenus: false,
    segments,
    loose: [],
    damage: [],
    looked: null,
    routes,
    remarks: [],
    titles: titles.map((sketch, i): Title => {
      const own = sketch.parts.map(find);
      const starts = own.map((_, n) => own.slice(0, n).reduce((sum, s) => sum + s.durationMs, 0));
      const total = own.reduce((sum, s) => sum + s.durationMs, 0);
      const count = sketch.chapters ?? own.length;
      return {
        number: i + 1,
        titleSet: 1,
        titleInSet: i + 1,
        playlist: null,
        over: null,
        levels: null,
        measured: null,
        sample: sketch.sample ?? null,
        state: sketch.state ?? 'usable',
        durationMs: total,
        sizeBytes: own.length * SECTORS * 2048,
        angles: 1,
        chapters: Array.from({ length: count }, (_, n) => ({
          number: n + 1,
          startMs: starts[n] ?? 0,
          durationMs: (n + 1 < count ? (starts[n + 1] ?? total) : total) - (starts[n] ?? 0),
          firstPart: n,
          damaged: false,
          name: null,
        })),
        parts: own.map((s) => ({ segment: s.id, angle: null, companion: null, seamless: false, moved: null })),
        video: videoTrack(),
        audio: Array.from({ length: sketch.audio ?? 1 }, (_, n) => audioTrack({ stream: 0xbd80 + n })),
        subtitles: Array.from({ length: sketch.subtitles ?? 0 }, (_, n) => subtitleTrack({ stream: 0xbd20 + n })),
        palette: Array.from({ length: 16 }, () => 0x108080),
      };
    }),
    ...change,
  };
}

export const plays = (title: number): TitleRoute => ({ title, by: 'play', menus: 0, button: 0, selected: false });
export const offers = (title: number, button = 1, selected = false): TitleRoute => ({ title, by: 'button', menus: 1, button, selected });

export const videoTrack = (change: Partial<VideoTrack> = {}): VideoTrack => ({
  stream: 0xe0,
  codec: 'MPEG-2',
  standard: 'PAL',
  widthPixels: 720,
  heightPixels: 576,
  displayAspect: [16, 9],
  frameRate: '25/1',
  frameTicks: 1_080_000,
  interlaced: null,
  profile: null,
  bitDepth: 8,
  closedCaptions: false,
  dynamicRange: 'standard',
  secondView: null,
  from: 'stream',
  ...change,
});

/** A DVD's reading in the shape that version 2 had. */
export function asVersion2(reading: Reading): Record<string, unknown> {
  const without = (item: object, ...keys: string[]) => Object.fromEntries(Object.entries(item).filter(([k]) => !keys.includes(k)));
  return {
    ...without(reading, 'contents', 'names', 'javaMenus', 'damage', 'looked'),
    version: 2,
    titleSets: reading.contents,
    segments: reading.segments.map((s) => without(s, 'kind', 'content')),
    loose: reading.loose.map((l) => ({ ...without(l, 'content'), titleSet: Number(l.content.slice(4)) })),
    titles: reading.titles.map((t) => ({
      ...without(t, 'playlist', 'over', 'sample', 'levels', 'measured'),
      chapters: t.chapters.map((c) => without(c, 'damaged', 'name')),
      parts: t.parts.map((p) => without(p, 'companion', 'seamless', 'moved')),
      audio: t.audio.map((a) => without(a, 'coreOf', 'apart')),
      subtitles: t.subtitles.map((s) => without(s, 'apart')),
      video: without(t.video, 'stream', 'interlaced', 'profile', 'bitDepth', 'closedCaptions', 'dynamicRange', 'secondView'),
    })),
  };
}
