import { seeded } from '@/test-support/random';
import { sketchReading } from '@/test-support/readings';
import { CODING, type ClipInfo, type IndexTable, type PlaylistStream, type StreamAttributes } from '../../bluray';
import { DiscError, memorySource, type ByteSource } from '../../bytes';
import { blurayAudio, bluraySubtitle, blurayVideo, languageTag } from './tracks';
import { routesToPlaylists } from './routes';
import { CutList, safeCut, segmentsBetween, type ClipPlace } from './clip-segments';
import type { Segment } from '../model';
import type { ClipProbe } from './probe-transport';
import { reachOf } from '../dvd/reach';
import { sampleTitles } from '../samples';

/** A clip of 100 s with an entry point every second, 1,000 packets apart; times of entry points lack their lowest 9 bits. */
const info: ClipInfo = {
  applicationType: 1,
  packets: 100_000,
  start45k: 45_000,
  end45k: 101 * 45_000,
  clocks: [],
  streams: [],
  entries: Array.from({ length: 100 }, (_, i) => ({
    pts90k: Math.floor(((i + 1) * 90_000) / 512) * 512,
    packet: 10 + i * 1000,
    angleChange: false,
  })),
  maps: new Map(),
};
const clip: ClipPlace = { name: '00001', info, sizeBytes: 192 * 100_000, discSector: 700 };
const second = (n: number) => n * 90_000;

describe('segments of a clip', () => {
  test('are cut wherever any title begins, ends or has a chapter, and name the same stretch the same', () => {
    const cuts = new CutList();
    cuts.add('00001', second(1), second(101));
    cuts.add('00001', second(21), second(41));
    cuts.add('00002', second(5));
    const all = segmentsBetween(clip, second(1), second(101), cuts.finish());
    const part = segmentsBetween(clip, second(21), second(41), cuts.finish());
    expect(all.map((s) => [s.in90k, s.out90k])).toEqual([
      [second(1), second(21)],
      [second(21), second(41)],
      [second(41), second(101)],
    ]);
    expect(part.map((s) => s.id)).toEqual([all[1]?.id]);
    expect(all.map((s) => [s.firstPacket, s.endPacket])).toEqual([
      [0, 20_010],
      [20_010, 40_010],
      [40_010, 100_000],
    ]);
    expect(all.reduce((sum, s) => sum + s.durationMs, 0)).toBe(100_000);
  });

  test('follow each other without gap or overlap, whatever the cuts', () => {
    for (let seed = 0; seed < 200; seed++) {
      const random = seeded(seed);
      const cuts = new CutList();
      for (let i = random.int(12); i > 0; i--) cuts.add('00001', second(1) + random.int(second(100)));
      const [a, b] = [second(1) + random.int(second(50)), second(52) + random.int(second(49))];
      const found = segmentsBetween(clip, a, b, cuts.finish());
      expect([found[0]?.in90k, found.at(-1)?.out90k]).toEqual([a, b]);
      found.forEach((s, i) => {
        if (i > 0) expect(s.in90k).toBe(found[i - 1]?.out90k);
        expect(s.endPacket).toBeGreaterThan(s.firstPacket);
        expect(s.lastSector).toBeGreaterThanOrEqual(s.firstSector);
        // What is shown in a segment begins at an entry point at or before it.
        const entry = info.entries.find((e) => e.packet === s.firstPacket);
        if (s.firstPacket > 0) expect(entry?.pts90k ?? Number.POSITIVE_INFINITY).toBeLessThanOrEqual(s.in90k);
      });
    }
  });

  test('a mark is moved to the entry point at or before it, never before the item begins', () => {
    expect(safeCut(info, second(10), second(1))).toBe(Math.floor(second(10) / 512) * 512);
    expect(safeCut(info, second(10) + 300, second(1))).toBe(Math.floor(second(10) / 512) * 512);
    expect(safeCut(info, second(10) + 45_000, second(1))).toBe(Math.floor(second(10) / 512) * 512);
    expect(safeCut(info, second(10) + 45_000, second(10) + 20_000)).toBe(second(10) + 20_000);
    expect(safeCut(null, second(10) + 45_000, second(1))).toBe(second(10) + 45_000);
  });

  test('without a map of entry points places are guessed by time, inside the clip', () => {
    const blind: ClipPlace = { ...clip, info: { ...info, entries: [] } };
    const [half] = segmentsBetween(blind, second(51), second(76), new Map());
    expect([half?.firstPacket, half?.endPacket]).toEqual([50_000, 75_000]);
    const [lost] = segmentsBetween({ ...clip, info: null }, second(51), second(76), new Map());
    expect([lost?.firstPacket, lost?.endPacket]).toEqual([0, 100_000]);
  });
});

const stream = (coding: number, change: Partial<StreamAttributes> = {}): PlaylistStream => ({
  pid: 0x1100,
  subPath: null,
  inMux: true,
  attributes: { coding, kind: 'audio', format: 6, rate: 1, language: 'ger', dynamicRange: 0, ...change },
});
const probe = (change: Partial<ClipProbe>): ClipProbe => ({
  video: new Map(),
  audio: new Map(),
  protectedPackets: 0,
  packets: 1,
  ...change,
});
const seen = { frameBytes: 0, samples: 40, sampleRateHz: 48000, channels: 8, layout: '7.1', bitRate: 0, bitDepth: null };
const core = { ...seen, channels: 6, layout: '5.1', bitRate: 640_000 };

describe('tracks', () => {
  test('a TrueHD stream with a core is two tracks, one without is one', () => {
    const both = blurayAudio(stream(CODING.trueHd), probe({ audio: new Map([[0x1100, { ...seen, core }]]) }), false);
    expect(both.map((t) => [t.stream, t.codec, t.layout, t.coreOf, t.language])).toEqual([
      [0x1100, 'TrueHD', '7.1', null, 'de'],
      [0x11100, 'AC-3', '5.1', 0x1100, 'de'],
    ]);
    expect(blurayAudio(stream(CODING.trueHd), probe({ audio: new Map([[0x1100, { ...seen, core: null }]]) }), false)).toHaveLength(1);
    expect(blurayAudio(stream(CODING.dtsHdMaster), null, true)).toMatchObject([
      { codec: 'DTS-HD Master', from: 'tables', purpose: 'commentary', channels: 6 },
    ]);
  });

  test('the stream’s own header decides on the picture; the tables serve where it was not seen', () => {
    const hevc = stream(CODING.hevc, { kind: 'video', format: 8, dynamicRange: 1 });
    const own = {
      widthPixels: 3840,
      heightPixels: 1600,
      sampleAspect: [1, 1] as const,
      profile: 'Main 10',
      level: '5.1',
      bitDepth: 10,
      chroma: 1,
      colour: null,
      framesOnly: true,
    };
    const track = blurayVideo(hevc, probe({ video: new Map([[0x1100, { ...own, hdr10: null, dolbyUnits: true }]]) }), null, null);
    expect(track).toMatchObject({
      widthPixels: 3840,
      heightPixels: 1600,
      displayAspect: [12, 5],
      profile: 'Main 10 5.1',
      bitDepth: 10,
      dynamicRange: 'Dolby Vision',
      from: 'stream',
    });
    expect(blurayVideo(hevc, null, null, null)).toMatchObject({
      heightPixels: 2160,
      dynamicRange: 'HDR10',
      profile: null,
      from: 'tables',
    });
    expect(blurayVideo(hevc, null, 0x1015, null)).toMatchObject({ dynamicRange: 'Dolby Vision', layer: 0x1015 });
  });

  test('subtitles as pictures and as text; languages by their shortest tag', () => {
    expect(bluraySubtitle(stream(CODING.pgs, { kind: 'graphics', language: 'fre' }))).toMatchObject({ codec: 'PGS', language: 'fr' });
    expect(bluraySubtitle(stream(CODING.text, { kind: 'text', language: null }))).toMatchObject({ codec: 'text', language: null });
    expect(['eng', 'deu', 'ger', 'gla', 'und', null].map(languageTag)).toEqual(['en', 'de', 'de', 'gd', null, null]);
  });
});

test('routes: first play, the menu and the list of titles, each title once per way', () => {
  const play = (playlist: number) => ({ commands: [{ operation: 0x22800000, first: playlist, second: 0 }] });
  const object = (id: number) => ({ kind: 'movie object' as const, id });
  const index: IndexTable = {
    version: 200,
    firstPlay: object(0),
    topMenu: object(1),
    titles: [object(0), null, object(2), { kind: 'java', name: '00000' }],
    stereoscopic: false,
  };
  const found = routesToPlaylists(
    index,
    [play(10), play(20), play(30)],
    new Map([
      [10, 1],
      [30, 3],
    ]),
  );
  expect(found).toEqual({
    java: true,
    routes: [
      { title: 1, by: 'play', menus: 0, button: 0, selected: false },
      { title: 1, by: 'index', menus: 1, button: 1, selected: false },
      { title: 3, by: 'index', menus: 1, button: 3, selected: false },
    ],
  });
});

test('where a source really ends is found by halving, whatever it promises', async () => {
  for (const real of [0, 1, 2047, 2048, 777_777, 1_000_000]) {
    const source: ByteSource = {
      name: 'x',
      sizeBytes: 1_000_000,
      read: (at, to) => Promise.resolve(Math.max(0, Math.min(to.byteLength, real - at))),
    };
    expect(await reachOf(source)).toBe(real);
  }
  expect(await reachOf(memorySource('x', new Uint8Array(5)))).toBe(5);
  expect(
    await reachOf({
      name: 'x',
      sizeBytes: 9,
      read: () => Promise.reject(new DiscError('read-failed', { source: 'x', byteOffset: 0 }, 'a scratch')),
    }),
  ).toBe(9);
});

describe('samples', () => {
  const reading = sketchReading([
    { parts: ['a:10', 'b:2'] },
    { parts: ['c:10', 'd:2'] },
    { parts: ['e:11', 'f:1'] },
    { parts: ['a:10', 'd:2'] },
  ]);
  const segments = new Map(reading.segments.map((s): [string, Segment] => [s.id, s]));
  /** Packs whose heads differ everywhere; the payload of the first 10,000 sectors comes again after them: a and c, b and d are the same material. */
  const content = (twist: (sector: number) => number): ByteSource => ({
    name: 'VTS_01',
    sizeBytes: 40_000 * 2048,
    read: (at, to) => {
      for (let i = 0; i < to.byteLength; i++) {
        const sector = Math.floor((at + i) / 2048);
        to[i] = (at + i) % 2048 < 40 ? sector & 0xff : twist(sector);
      }
      return Promise.resolve(to.byteLength);
    },
  });

  test('titles of one length at other addresses have the same sample where their content is the same', async () => {
    const found = await sampleTitles(reading.titles, segments, () =>
      Promise.resolve(content((s) => (s < 20_000 ? (s % 10_000) & 0x7f : 0x55))),
    );
    expect(found.get(1)).toBeDefined();
    expect(found.get(2)).toBe(found.get(1));
    expect(found.get(3)).not.toBe(found.get(1));
    const other = await sampleTitles(reading.titles, segments, () => Promise.resolve(content((s) => (s >> 3) & 0x7f)));
    expect(other.get(2)).not.toBe(other.get(1));
  });

  test('nothing is read where no two titles are alike, and a scratch leaves a title without one', async () => {
    const open = jest.fn(() => Promise.resolve(null));
    expect((await sampleTitles(reading.titles.slice(0, 1), segments, open)).size).toBe(0);
    expect(open).not.toHaveBeenCalled();
    const broken: ByteSource = {
      ...content(() => 0),
      read: () => Promise.reject(new DiscError('read-failed', { source: 'x', byteOffset: 0 }, 'a scratch')),
    };
    expect((await sampleTitles(reading.titles, segments, () => Promise.resolve(broken))).size).toBe(0);
  });
});
