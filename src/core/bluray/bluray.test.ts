import { spawnSync } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { HAVEN } from '@/test-support/discs';
import { damaged, seeded } from '@/test-support/random';
import { DiscError } from '../bytes';
import {
  entryAfter,
  entryBefore,
  followFrom,
  parseClipInfo,
  parseDiscMetadata,
  parseIndexTable,
  parseMovieObjects,
  parsePlaylist,
  type IndexTable,
} from '.';

const file = (...inside: string[]) => new Uint8Array(readFileSync(path.join(HAVEN, 'BDMV', ...inside)));
const index = () => parseIndexTable(file('index.bdmv'), 'index.bdmv');
const objects = () => parseMovieObjects(file('MovieObject.bdmv'), 'MovieObject.bdmv');
const playlist = (name: string) => parsePlaylist(file('PLAYLIST', `${name}.mpls`), `${name}.mpls`);
const clip = (name: string) => parseClipInfo(file('CLIPINF', `${name}.clpi`), `${name}.clpi`);

test('playlists say what another reader, libbluray, says of them', () => {
  const { stdout } = spawnSync('bd_list_titles', ['-a', '-s', '0', HAVEN], { encoding: 'utf8' });
  const listed = [
    ...stdout.matchAll(
      /duration: (\d+):(\d+):(\d+) chapters:\s+(\d+) angles:\s+(\d+) clips:\s+(\d+) \(playlist: (\d{5})\.mpls\) V:(\d) A:(\d)\s+PG:(\d)/g,
    ),
  ];
  expect(listed.length).toBeGreaterThanOrEqual(6);
  for (const [, h, m, s, chapters, angles, clips, name = '', video, audio, graphics] of listed) {
    const { items, marks } = playlist(name);
    const seconds = items.reduce((sum, i) => sum + i.out45k - i.in45k, 0) / 45_000;
    expect([name, Math.floor(seconds)]).toEqual([name, Number(h) * 3600 + Number(m) * 60 + Number(s)]);
    expect(items).toHaveLength(Number(clips));
    expect(marks.filter((k) => k.isEntry)).toHaveLength(Number(chapters));
    expect(items[0]?.clips).toHaveLength(Number(angles));
    const streams = items[0]?.streams;
    expect([streams?.video.length, streams?.audio.length, streams?.graphics.length].map(String)).toEqual([video, audio, graphics]);
  }
});

test('index, movie objects, clip information and the library card', () => {
  expect(index()).toMatchObject({
    version: 200,
    firstPlay: { kind: 'movie object', id: 0 },
    topMenu: { id: 2 },
    titles: [{ id: 1 }, { id: 2 }],
  });
  expect(objects().map((o) => o.commands.length)).toEqual([4, 2, 1]);
  const first = clip('00001');
  expect(first).toMatchObject({ applicationType: 1, start45k: 600 * 45_000 });
  expect(first.streams.map((s) => [s.pid, s.attributes.coding, s.attributes.language])).toEqual([
    [0x1011, 0x1b, null],
    [0x1100, 0x83, 'eng'],
    [0x1102, 0x81, 'gla'],
    [0x1103, 0x80, 'eng'],
    [0x1200, 0x90, 'eng'],
    [0x1201, 0x90, 'gla'],
  ]);
  expect(parseDiscMetadata(file('META', 'DL', 'bdmt_eng.xml'), 'eng')).toEqual({
    language: 'eng',
    title: 'Haven & Harbour',
    thumbnails: [],
  });
});

test('entry points lead to packets in which a key picture of that time begins', () => {
  const { entries, packets } = clip('00003');
  const stream = file('STREAM', '00003.m2ts');
  expect(entries.length).toBeGreaterThanOrEqual(5);
  for (const { pts90k, packet } of entries) {
    expect(packet).toBeLessThan(packets);
    const at = packet * 192 + 4;
    expect(stream[at]).toBe(0x47);
    expect((stream[at + 1] ?? 0) & 0x40).toBe(0x40);
    const pes = at + 5 + (stream[at + 4] ?? 0);
    const b = (i: number) => stream[pes + 9 + i] ?? 0;
    const stamp = ((b(0) >> 1) & 7) * 2 ** 30 + ((b(1) << 22) | ((b(2) >> 1) << 15) | (b(3) << 7) | (b(4) >> 1));
    expect(Math.floor(stamp / 512) * 512).toBe(pts90k);
  }
  const [first, second] = entries;
  expect(entryBefore(entries, (first?.pts90k ?? 0) - 1)).toBeNull();
  expect(entryBefore(entries, (second?.pts90k ?? 0) - 1)).toBe(first);
  expect(entryAfter(entries, first?.pts90k ?? 0)).toBe(second);
  expect(entryAfter(entries, Number.MAX_SAFE_INTEGER)).toBeNull();
});

test('text on the card is foreign: markup, entities and control characters do no harm', () => {
  const read = (xml: string) => parseDiscMetadata(new TextEncoder().encode(xml), 'eng')?.title;
  expect(read('<di:name>A &lt;b&gt; &#x41;&#66; &unknown; \u202eB\u0000C</di:name>')).toBe('A <b> AB &unknown; B C');
  expect(read('<name>&#0;&#xd800;&#x10ffff9;ok</name>')).toBe('&#x10ffff9;ok');
  expect(read('<name></name>')).toBeUndefined();
  expect(read('no markup at all')).toBeUndefined();
  expect(read(`<name>${'x'.repeat(3000)}</name>`)).toHaveLength(300);
});

describe('following the commands', () => {
  const table: IndexTable = {
    version: 200,
    firstPlay: { kind: 'movie object', id: 0 },
    topMenu: { kind: 'java', name: '00001' },
    titles: [{ kind: 'movie object', id: 1 }, null],
    stereoscopic: false,
  };
  const from = (...lists: (readonly [number, number, number])[][]) =>
    followFrom(
      table.firstPlay,
      table,
      lists.map((commands) => ({ commands: commands.map(([operation, first, second]) => ({ operation, first, second })) })),
    );
  const PLAY = 0x22800000;
  const PLAY_REGISTER = 0x22000000;
  const MOVE = 0x50400001;
  const ADD = 0x50400003;
  const EQUAL = 0x48400200;
  const LESS = 0x48400700;
  const GO_TO = 0x20810000;
  const JUMP_TITLE = 0x21810000;

  test('of the proving disc', () => {
    const { firstPlay, topMenu, titles } = index();
    expect(followFrom(firstPlay, index(), objects()).playlists).toEqual([2]);
    expect(followFrom(topMenu, index(), objects()).playlists).toEqual([3]);
    expect(followFrom(titles[0] ?? null, index(), objects())).toEqual({ playlists: [1], java: false, menu: true });
  });

  test('registers decide what is played', () => {
    // Adds 7 ten times, then plays what came out.
    const found = from([
      [MOVE, 5, 0],
      [MOVE, 6, 0],
      [ADD, 5, 7],
      [ADD, 6, 1],
      [LESS, 6, 10],
      [GO_TO, 2, 0],
      [PLAY_REGISTER, 5, 0],
    ]);
    expect(found.playlists).toEqual([70]);
  });

  test('a comparison that does not hold passes over one command', () => {
    expect(
      from([
        [MOVE, 1, 3],
        [EQUAL, 1, 4],
        [PLAY, 1, 0],
        [PLAY, 2, 0],
      ]).playlists,
    ).toEqual([2]);
  });

  test('titles are jumped to; a Java program and a title that is not there end it', () => {
    expect(
      from(
        [[JUMP_TITLE, 1, 0]],
        [
          [PLAY, 9, 0],
          [JUMP_TITLE, 0, 0],
        ],
      ),
    ).toEqual({ playlists: [9], java: false, menu: true });
    expect(
      from([
        [JUMP_TITLE, 2, 0],
        [PLAY, 1, 0],
      ]).playlists,
    ).toEqual([]);
  });

  test('circles end', () => {
    expect(
      from([
        [PLAY, 1, 0],
        [GO_TO, 0, 0],
      ]).playlists,
    ).toEqual([1]);
    expect(from([[JUMP_TITLE, 1, 0]], [[JUMP_TITLE, 1, 0]]).playlists).toEqual([]);
  });

  test('any commands at all end, with a bounded list', () => {
    for (let seed = 0; seed < 300; seed++) {
      const random = seeded(seed);
      const word = () =>
        random.pick([PLAY, PLAY_REGISTER, MOVE, ADD, EQUAL, GO_TO, JUMP_TITLE, 0x21800000, 0x21820000, 0x21840000, random.int(2 ** 32)]);
      const lists = Array.from({ length: 3 }, () =>
        Array.from({ length: 1 + random.int(12) }, () => [word(), random.int(8), random.int(8)] as const),
      );
      expect(from(...lists).playlists.length).toBeLessThanOrEqual(200);
    }
  });
});

const STRUCTURES: readonly [string, () => Uint8Array, (data: Uint8Array) => unknown][] = [
  ['index', () => file('index.bdmv'), (d) => parseIndexTable(d, 'x')],
  ['movie objects', () => file('MovieObject.bdmv'), (d) => parseMovieObjects(d, 'x')],
  ['playlist', () => file('PLAYLIST', '00002.mpls'), (d) => parsePlaylist(d, 'x')],
  ['clip information', () => file('CLIPINF', '00001.clpi'), (d) => parseClipInfo(d, 'x')],
  ['library card', () => file('META', 'DL', 'bdmt_eng.xml'), (d) => parseDiscMetadata(d, 'eng')],
];

describe.each(STRUCTURES)('%s', (name, load, parse) => {
  const whole = load();

  test('cut short anywhere is a typed error or a part of it, never something else', () => {
    for (let length = 0; length < whole.byteLength; length++) {
      try {
        parse(whole.subarray(0, length));
      } catch (error) {
        expect(error).toBeInstanceOf(DiscError);
      }
    }
    expect(() => parse(whole)).not.toThrow();
  });

  test('damaged anywhere is a typed error or a value', () => {
    let refused = 0;
    for (let seed = 0; seed < 1500; seed++) {
      try {
        parse(damaged(whole, seeded(seed)));
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}`, { cause: error });
        refused++;
      }
    }
    if (name !== 'library card') expect(refused).toBeGreaterThan(100);
  });
});

test('every structure has its backup copy on the disc', () => {
  expect(readdirSync(path.join(HAVEN, 'BDMV', 'BACKUP', 'PLAYLIST'))).toEqual(readdirSync(path.join(HAVEN, 'BDMV', 'PLAYLIST')));
});
