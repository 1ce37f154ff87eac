import { DiscError } from '../bytes';
import { damaged, seeded } from '@/test-support/random';
import { LOCKS, QUAY } from '@/test-support/discs';
import { openImage } from '../volume';
import { memorySource, readExactly } from '../bytes';
import { readFileSync } from 'node:fs';
import { commandJump, isConditional } from './commands';
import {
  buttonKey,
  dvdTimeMs,
  findRoutes,
  parseAudioAttributes,
  parseDvdTime,
  parsePgc,
  parseSubpictureAttributes,
  parseTitleSet,
  parseVideoAttributes,
  parseVideoManager,
} from '.';

async function structure(image: string, name: string): Promise<Uint8Array> {
  const volume = await openImage(memorySource('disc', readFileSync(image)));
  const file = await volume.open(`VIDEO_TS/${name}`);
  if (!file) throw new Error(`no ${name}`);
  return readExactly(file, 0, file.sizeBytes, name);
}

let manager: Uint8Array;
let quay: Uint8Array;
let locks: Uint8Array;
beforeAll(async () => {
  manager = await structure(QUAY, 'VIDEO_TS.IFO');
  quay = await structure(QUAY, 'VTS_02_0.IFO');
  locks = await structure(LOCKS, 'VTS_01_0.IFO');
});

describe('playback times', () => {
  test.each([
    [0x01_32_04_40, 5_524_000, 25], // 1:32:04, 0 frames of 25
    [0x00_00_10_52, 10_480, 25], //    12 frames: bits of the rate, then BCD
    [0x00_05_00_c0, 300_300, 30], //   five minutes of 30 counted frames last 300.3 s
    [0x00_00_01_d5, 1_502, 30], //     1 s and 15 frames of 1001/30000 s
  ])('%s lasts %i ms at rate %i', (value, ms, rate) => {
    const time = parseDvdTime(value);
    expect(time.rate).toBe(rate);
    expect(dvdTimeMs(time)).toBe(ms);
  });

  test('digits that are none give a number all the same: a wrong time must not hide a title', () => {
    for (let seed = 0; seed < 500; seed++) expect(Number.isSafeInteger(dvdTimeMs(parseDvdTime(seeded(seed).int(2 ** 32))))).toBe(true);
  });
});

describe('attributes', () => {
  test('video: standard, aspect, size', () => {
    expect(parseVideoAttributes(Uint8Array.of(0x4c, 0x00))).toMatchObject({
      coding: 'MPEG-2',
      standard: 'NTSC',
      aspect: '16:9',
      widthPixels: 720,
      heightPixels: 480,
    });
    expect(parseVideoAttributes(Uint8Array.of(0x10, 0x0c))).toMatchObject({
      coding: 'MPEG-1',
      standard: 'PAL',
      aspect: '4:3',
      widthPixels: 352,
      heightPixels: 288,
    });
  });

  test('audio: coding, channels, language and what it is for', () => {
    expect(parseAudioAttributes(Uint8Array.of(0x04, 0x05, 0x65, 0x6e, 0, 3, 0, 0))).toEqual({
      coding: 'AC-3',
      channels: 6,
      sampleRateHz: 48000,
      bitDepth: null,
      language: 'en',
      purpose: 'commentary',
    });
    expect(parseAudioAttributes(Uint8Array.of(0x84, 0x91, 0, 0, 0, 9, 0, 0))).toEqual({
      coding: 'LPCM',
      channels: 2,
      sampleRateHz: 96000,
      bitDepth: 24,
      language: null,
      purpose: null,
    });
    expect(parseAudioAttributes(Uint8Array.of(0xa0, 0, 0, 0, 0, 0, 0, 0)).coding).toBe('unknown');
  });

  test('subpictures: languages that are zero, blank or invented are none', () => {
    expect(parseSubpictureAttributes(Uint8Array.of(1, 0, 0x47, 0x44, 0, 9))).toEqual({ language: 'gd', purpose: 'forced' });
    for (const [a, b] of [
      [0, 0],
      [0x20, 0x20],
      [0xff, 0x65],
      [0x31, 0x32],
    ] as const)
      expect(parseSubpictureAttributes(Uint8Array.of(1, 0, a, b, 0, 5))).toEqual({ language: null, purpose: 'captions' });
  });
});

describe('structures that an independent author wrote', () => {
  test('the manager names titles, title sets, first play and menu', () => {
    const read = parseVideoManager(manager, 'VIDEO_TS.IFO');
    expect(read.titles).toEqual([
      { number: 1, angles: 1, chapters: 1, titleSet: 1, titleInSet: 1 },
      { number: 2, angles: 1, chapters: 3, titleSet: 2, titleInSet: 1 },
    ]);
    expect(read.titleSetCount).toBe(2);
    expect(read.menus.map((m) => [m.language, m.menu, m.number])).toEqual([['en', 2, 1]]);
    expect(read.firstPlay?.preCommands.length).toBeGreaterThan(0);
    expect(read.faults).toEqual([]);
  });

  test('a title set names its streams, its palette and its cells', () => {
    const set = parseTitleSet(quay, 2, 'VTS_02_0.IFO');
    expect(set.video).toMatchObject({ standard: 'PAL', aspect: '16:9' });
    expect(set.audio.map((a) => [a.coding, a.language, a.purpose])).toEqual([
      ['AC-3', 'en', 'normal'],
      ['LPCM', 'gd', 'normal'],
      ['DTS', 'en', 'commentary'],
    ]);
    expect(set.subpictures.map((s) => [s.language, s.purpose])).toEqual([
      ['en', 'normal'],
      ['gd', 'forced'],
    ]);
    const [pgc] = set.pgcs;
    expect(pgc?.durationMs).toBe(9000);
    expect(pgc?.programs).toEqual([1, 2, 3]);
    expect(pgc?.cells.map((c) => c.durationMs).reduce((a, b) => a + b)).toBe(9000);
    expect(pgc?.audioStreams.slice(0, 4)).toEqual([0, 0, 0, null]); // counted per coding: 0x80, 0xa0, 0x88
    expect(pgc?.palette).toHaveLength(16);
    expect(
      pgc?.cells.every((c, i, all) => c.lastSector >= c.firstSector && (i === 0 || c.firstSector > (all[i - 1]?.lastSector ?? 0))),
    ).toBe(true);
  });

  test('titles of a set can share cells, and its chapters lead to their programs', () => {
    const set = parseTitleSet(locks, 1, 'VTS_01_0.IFO');
    expect(set.pgcs).toHaveLength(5);
    const addresses = set.pgcs.map((p) => p?.cells.map((c) => c.firstSector) ?? []);
    expect(addresses[0]).toEqual([...(addresses[1] ?? []), ...(addresses[2] ?? []), ...(addresses[3] ?? [])]);
    expect(addresses[4]).toEqual(addresses[2]);
    expect(set.chapters.map((c) => c.length)).toEqual([6, 2, 2, 2, 2]);
    expect(set.chapters[1]).toEqual([
      { pgc: 2, program: 1 },
      { pgc: 2, program: 2 },
    ]);
    // Counted at 30 frames a second, lasting 1001/30000 s each: 9.5 s of film are 285 frames, which the author rounds up.
    expect(set.pgcs[1]?.durationMs).toBe(Math.round((286 * 1001) / 30));
  });
});

describe('navigation commands', () => {
  const command = (hex: string) => Uint8Array.from(hex.match(/../g) ?? [], (h) => parseInt(h, 16));
  test.each([
    ['30020000000200 00', { to: 'title', title: 2 }],
    ['3003000000030000', { to: 'titleInSet', titleInSet: 3, chapter: null }],
    ['3005000200010000', { to: 'titleInSet', titleInSet: 1, chapter: 2 }],
    ['3006000000420000', { to: 'discMenu', menu: 2 }],
    ['3006000102830000', { to: 'setMenu', titleSet: 2, titleInSet: 1, menu: 3 }],
    ['30060005 00c00000', { to: 'discMenuChain', chain: 5 }],
    ['3006000000000000', { to: 'firstPlay' }],
    ['2004000000000007', { to: 'chain', chain: 7 }],
    ['3001000000000000', null],
    ['0000000000000000', null],
  ])('%s', (hex, jump) => {
    expect(commandJump(command(hex.replaceAll(' ', '')))).toEqual(jump);
  });

  test('conditions are seen', () => {
    expect(isConditional(command('3002000000020000'))).toBe(false);
    expect(isConditional(command('3022000000020000'))).toBe(true);
  });

  test('first play leads to a title, buttons to others, and circles end', () => {
    const read = parseVideoManager(manager, 'VIDEO_TS.IFO');
    const buttons = new Map([
      [buttonKey(0, 1, 'en'), { commands: [command('3002000000010000'), command('3006000000420000')], selected: 1 }],
    ]);
    const routes = findRoutes(read, new Map(), buttons);
    expect(routes[0]).toMatchObject({ title: 2, by: 'play', menus: 0 });
    const looped = { ...read, firstPlay: read.menus[0]?.pgc ? { ...read.menus[0].pgc, preCommands: [command('3006000000420000')] } : null };
    expect(findRoutes(looped, new Map(), buttons)).toEqual([
      expect.objectContaining({ title: 1, by: 'button', button: 1, selected: true }),
    ]);
  });
});

/** From the first program chain of a title set to the end of its table. */
function firstChain(file: Uint8Array): Uint8Array {
  const view = new DataView(file.buffer, file.byteOffset, file.byteLength);
  const table = view.getUint32(0xcc) * 2048;
  return file.subarray(table + view.getUint32(table + 12));
}

describe('damaged structures', () => {
  const parsers = [
    { name: 'VIDEO_TS.IFO', data: () => manager, parse: (d: Uint8Array) => parseVideoManager(d, 'x') },
    { name: 'VTS_02_0.IFO', data: () => quay, parse: (d: Uint8Array) => parseTitleSet(d, 2, 'x') },
    { name: 'VTS_01_0.IFO of many titles', data: () => locks, parse: (d: Uint8Array) => parseTitleSet(d, 1, 'x') },
    { name: 'a program chain', data: () => firstChain(locks), parse: (d: Uint8Array) => parsePgc(d, { source: 'x', byteOffset: 0 }) },
  ];

  test.each(parsers)('$name: every byte damaged in many ways gives a typed error or what can be read', ({ data, parse }) => {
    let read = 0;
    for (let seed = 0; seed < 1500; seed++) {
      try {
        parse(damaged(data(), seeded(seed)));
        read++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}: ${String(error)}`, { cause: error });
      }
    }
    expect(read).toBeGreaterThan(100);
  });

  test('every truncation is an error or a partial reading', () => {
    for (let length = 0; length < quay.byteLength; length += 97) {
      try {
        const set = parseTitleSet(quay.subarray(0, length), 2, 'x');
        expect(set.pgcs.length).toBeGreaterThanOrEqual(0);
      } catch (error) {
        expect(error).toBeInstanceOf(DiscError);
      }
    }
  });

  test('a count that no disc has is refused, not believed', () => {
    const titles = manager.slice();
    const table = new DataView(titles.buffer).getUint32(0xc4) * 2048;
    titles.set([0xff, 0xff], table);
    expect(() => parseVideoManager(titles, 'VIDEO_TS.IFO')).toThrow(expect.objectContaining({ code: 'out-of-range' }));
    expect(() => parseVideoManager(quay, 'VTS_02_0.IFO')).toThrow(expect.objectContaining({ code: 'bad-signature' }));
  });
});
