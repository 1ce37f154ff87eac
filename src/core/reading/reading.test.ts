import { cpSync, mkdirSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { ReadingSchema } from '@/contract';
import { openFolderVolume } from '@/node/files';
import { LOCKS, QUAY, openDisc, temporaryFolder } from '@/test-support/discs';
import { asVersion2 } from '@/test-support/readings';
import { DiscError, blobSource, memorySource } from '../bytes';
import { findRoles } from '../findings';
import { openImage } from '../volume';
import { gapsBetween } from './loose';
import { partsOfAngle, readDisc, type Reading, type ReadingProgress } from '.';

/** Readings of discs that an independent author made, whole and hurt in known ways. */

const folder = temporaryFolder();
const levels = temporaryFolder();
const pristine = path.join(folder, 'quay');
beforeAll(() => {
  mkdirSync(pristine);
  const { status } = spawnSync('7z', ['x', '-y', `-o${pristine}`, QUAY], { stdio: 'ignore' });
  if (status !== 0) throw new Error('7z could not unpack the proving disc');
});

async function readFolder(at: string): Promise<Reading> {
  const volume = await openFolderVolume(at);
  try {
    return await readDisc(volume);
  } finally {
    await volume.close();
  }
}

let copies = 0;
/** A copy of the disc folder, hurt by `hurt`. */
async function hurt(change: (file: (name: string) => string) => void): Promise<Reading> {
  const at = path.join(folder, `hurt-${++copies}`);
  cpSync(pristine, at, { recursive: true });
  change((name) => path.join(at, 'VIDEO_TS', name));
  return readFolder(at);
}
const overwrite = (file: string, at: number, bytes: readonly number[]) => {
  const data = readFileSync(file);
  data.set(bytes, at);
  writeFileSync(file, data);
};
const codes = (reading: Reading) => reading.remarks.map((r) => r.code);

describe('what is on a disc', () => {
  test('of chains that a player chooses by its parental level, each is a title of its own', async () => {
    const at = levels;
    expect(spawnSync('7z', ['x', '-y', `-o${at}`, LOCKS], { stdio: 'ignore' }).status).toBe(0);
    const manager = path.join(at, 'VIDEO_TS', 'VIDEO_TS.IFO');
    const set = path.join(at, 'VIDEO_TS', 'VTS_01_0.IFO');
    const sectors = statSync(manager).size / 2048;
    // One country, one title set: levels 8 to 5 show mask 1, levels 4 to 1 mask 2.
    const table = Buffer.alloc(2048);
    table.writeUInt16BE(1, 0);
    table.writeUInt16BE(1, 2);
    table.writeUInt16BE(16, 12);
    for (let row = 0; row < 8; row++) table.writeUInt16BE(row < 4 ? 1 : 2, 16 + row * 4 + 2);
    writeFileSync(manager, Buffer.concat([readFileSync(manager), table]));
    overwrite(manager, 0xcc, [0, 0, 0, sectors]);
    const chains = readFileSync(set).readUInt32BE(0xcc) * 2048;
    overwrite(set, chains + 8 + 8, [0x82, 0x50, 0, 1]); // chain 2 begins a block,
    overwrite(set, chains + 8 + 16, [0x03, 0xd0, 0, 2]); // chain 3 ends it
    const { reading: before, opened } = await openDisc(LOCKS);
    await opened.close();
    const reading = await readFolder(at);
    expect(reading.titles.map((t) => [t.number, t.levels])).toEqual([
      [1, null],
      [2, [5, 6, 7, 8]],
      [3, [1, 2, 3, 4]],
      [4, null],
      [5, null],
      [6, [1, 2, 3, 4]],
      [7, [5, 6, 7, 8]],
    ]);
    expect(reading.titles[5]?.parts).toEqual(before.titles[2]?.parts);
    expect(() => ReadingSchema.parse(reading)).not.toThrow();
  });

  test('a film with an extra: titles, tracks and the way to them', async () => {
    const { reading, opened } = await openDisc(QUAY);
    await opened.close();
    expect(reading).toMatchObject({ label: 'QUAY', kind: 'DVD-Video', fileSystem: 'UDF', contents: 2, remarks: [] });
    expect(reading.titles.map((t) => [t.number, t.state, t.durationMs, t.chapters.length])).toEqual([
      [1, 'usable', 2000, 1],
      [2, 'usable', 9000, 3],
    ]);
    const film = reading.titles[1];
    expect(film?.video).toMatchObject({
      codec: 'MPEG-2',
      standard: 'PAL',
      widthPixels: 720,
      heightPixels: 576,
      displayAspect: [16, 9],
      frameRate: '25/1',
      from: 'stream',
    });
    expect(film?.audio.map((a) => [a.codec, a.layout, a.language, a.purpose, a.bitDepth, a.from])).toEqual([
      ['AC-3', '5.1', 'en', 'normal', null, 'stream'],
      ['LPCM', 'stereo', 'gd', 'normal', 16, 'stream'],
      ['DTS', 'stereo', 'en', 'commentary', null, 'stream'],
    ]);
    expect(film?.subtitles.map((s) => [s.language, s.purpose, s.drawnFor])).toEqual([
      ['en', 'normal', 'wide'],
      ['gd', 'forced', 'wide'],
    ]);
    expect(reading.titles[0]?.audio[0]).toMatchObject({ codec: 'MPEG audio', purpose: 'visually impaired', bitRate: 192_000 });
    expect(reading.routes[0]).toMatchObject({ title: 2, by: 'play' });
    expect(findRoles(reading)).toMatchObject({ mainTitle: 2, kind: 'film' });
  });

  test('a series: the play-all shares its segments with the episodes, one of which stands there twice', async () => {
    const { reading, opened } = await openDisc(LOCKS);
    await opened.close();
    const parts = reading.titles.map((t) => t.parts.map((p) => p.segment));
    expect(parts[0]).toEqual([...(parts[1] ?? []), ...(parts[2] ?? []), ...(parts[3] ?? [])]);
    expect(findRoles(reading).titles.map((f) => f.role)).toEqual(['play-all', 'episode', 'episode', 'episode', 'duplicate']);
    expect(reading.titles[1]?.audio[1]).toMatchObject({ codec: 'LPCM', bitDepth: 24 });
    expect(reading.titles.every((t) => t.video.frameRate === '30000/1001')).toBe(true);
    expect(reading.routes.map((r) => [r.title, r.by, r.button])).toEqual([
      [1, 'button', 1],
      [3, 'button', 2],
    ]);
    for (const title of reading.titles) expect(partsOfAngle(title, 1)).toEqual(title.parts);
  });

  test('image, folder, VIDEO_TS itself, lower case and a browser’s file are the same disc', async () => {
    const lower = path.join(folder, 'lower', 'video_ts');
    mkdirSync(lower, { recursive: true });
    for (const name of [
      'VIDEO_TS.IFO',
      'VIDEO_TS.BUP',
      'VIDEO_TS.VOB',
      'VTS_01_0.IFO',
      'VTS_01_0.BUP',
      'VTS_01_1.VOB',
      'VTS_02_0.IFO',
      'VTS_02_0.BUP',
      'VTS_02_1.VOB',
    ]) {
      cpSync(path.join(pristine, 'VIDEO_TS', name), path.join(lower, name.toLowerCase()));
    }
    const { reading, opened } = await openDisc(QUAY);
    await opened.close();
    const browser = await readDisc(await openImage(blobSource('QUAY.iso', new Blob([readFileSync(QUAY)]))));
    expect(browser).toEqual(reading);
    for (const at of [pristine, path.join(pristine, 'VIDEO_TS'), path.dirname(lower), folder]) {
      const other = await readFolder(at);
      expect(other.fingerprint).toBe(reading.fingerprint);
      expect(other.titles.map((t) => t.durationMs)).toEqual(reading.titles.map((t) => t.durationMs));
    }
  });

  test('a reading crosses every border unchanged: it is JSON, and its schema agrees', async () => {
    for (const image of [QUAY, LOCKS]) {
      const { reading, opened } = await openDisc(image);
      await opened.close();
      expect(ReadingSchema.parse(JSON.parse(JSON.stringify(reading)))).toEqual(reading);
    }
  });

  test('progress is told, and the reading can be stopped', async () => {
    const seen: ReadingProgress[] = [];
    const volume = await openImage(memorySource('disc', readFileSync(QUAY)));
    await readDisc(volume, { onProgress: (p) => seen.push(p) });
    expect([...new Set(seen.map((p) => p.step))]).toEqual(['opening', 'titleSet', 'looking', 'menus']);
    const controller = new AbortController();
    const stopped = readDisc(volume, {
      signal: controller.signal,
      onProgress: (p) => {
        if (p.step === 'looking') controller.abort();
      },
    });
    await expect(stopped).rejects.toMatchObject({ code: 'cancelled' });
  });
});

describe('what no title leads to', () => {
  test('nothing, on discs of which every cell is used', async () => {
    for (const image of [QUAY, LOCKS]) {
      const { reading, opened } = await openDisc(image);
      await opened.close();
      expect(reading.loose).toEqual([]);
    }
  });

  test('material behind the last cell is found, with its length by its own stamps', async () => {
    const reading = await hurt((file) => {
      const vob = readFileSync(file('VTS_02_1.VOB'));
      writeFileSync(file('VTS_02_1.VOB'), Buffer.concat([vob, vob]));
    });
    const sectors = statSync(path.join(pristine, 'VIDEO_TS', 'VTS_02_1.VOB')).size / 2048;
    expect(reading.loose).toEqual([
      expect.objectContaining({ content: 'VTS_02', firstSector: sectors, lastSector: 2 * sectors - 1, chain: null }),
    ]);
    expect(Math.abs((reading.loose[0]?.durationMs ?? 0) - 9000)).toBeLessThan(80);
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'usable']);
  });

  test('a title taken out of the title table leaves its material, played by a chain that no title names', async () => {
    const reading = await hurt((file) => {
      for (const name of ['VIDEO_TS.IFO', 'VIDEO_TS.BUP']) {
        const table = readFileSync(file(name)).readUInt32BE(0xc4) * 2048;
        overwrite(file(name), table, [0, 1]); // one title instead of two
      }
    });
    expect(reading.titles.map((t) => t.number)).toEqual([1]);
    expect(reading.loose).toEqual([
      expect.objectContaining({ content: 'VTS_02', firstSector: 0, chain: 1, durationMs: expect.any(Number) as number }),
    ]);
  });

  test('gaps are what is between, before and behind, and nothing smaller than content', () => {
    expect(gapsBetween([], 100)).toEqual([{ first: 0, last: 99 }]);
    expect(
      gapsBetween(
        [
          { first: 50, last: 99 },
          { first: 40, last: 60 },
        ],
        200,
      ),
    ).toEqual([
      { first: 0, last: 39 },
      { first: 100, last: 199 },
    ]);
    expect(
      gapsBetween(
        [
          { first: 0, last: 99 },
          { first: 110, last: 500 },
        ],
        200,
      ),
    ).toEqual([]);
    expect(gapsBetween([{ first: 900, last: 1000 }], 200)).toEqual([{ first: 0, last: 199 }]);
  });

  test('a reading made before it was looked for is brought up to date', async () => {
    const { reading, opened } = await openDisc(QUAY);
    await opened.close();
    const old: Record<string, unknown> = { ...asVersion2(reading), version: 1 };
    delete old['loose'];
    // Nothing was known of how parts join.
    const titles = reading.titles.map((t) => ({ ...t, parts: t.parts.map((p) => ({ ...p, seamless: false, moved: null })) }));
    const then = { ...reading, titles, looked: null };
    expect(ReadingSchema.parse(old)).toEqual({ ...then, loose: [] });
    expect(ReadingSchema.parse(asVersion2(reading))).toEqual(then);
  });
});

describe('discs that are hurt', () => {
  test('a bad IFO is replaced by its backup copy, and that is said', async () => {
    const reading = await hurt((file) => {
      overwrite(file('VTS_02_0.IFO'), 0, [0, 0, 0, 0]);
    });
    expect(codes(reading)).toEqual(['backup-used']);
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'usable']);
    const missing = await hurt((file) => {
      rmSync(file('VIDEO_TS.IFO'));
    });
    expect(codes(missing)).toEqual(['backup-used']);
    expect(missing.titles).toHaveLength(2);
  });

  test('a backup copy that differs is remarked on', async () => {
    expect(
      codes(
        await hurt((file) => {
          overwrite(file('VTS_01_0.BUP'), 0x30, [9]);
        }),
      ),
    ).toEqual(['backup-differs']);
  });

  test('a title set whose IFO and backup are both bad hides no other', async () => {
    const reading = await hurt((file) => {
      for (const name of ['VTS_02_0.IFO', 'VTS_02_0.BUP']) truncateSync(file(name), 100);
    });
    // The list of titles still knows the other one.
    expect(reading.titles.map((t) => [t.number, t.state])).toEqual([
      [1, 'usable'],
      [2, 'unreadable'],
    ]);
    expect(new Set(codes(reading))).toEqual(new Set(['structure-lost']));
    expect(findRoles(reading).mainTitle).toBeNull(); // two seconds are no film
  });

  test('a manager that is bad twice ends the reading with its own error', async () => {
    const result = hurt((file) => {
      for (const name of ['VIDEO_TS.IFO', 'VIDEO_TS.BUP']) writeFileSync(file(name), 'no structure at all');
    });
    await expect(result).rejects.toMatchObject({ code: 'ended-early', where: { source: 'VIDEO_TS.IFO' } });
  });

  test('a table that has no entries, and one that leads to itself', async () => {
    const data = readFileSync(path.join(pristine, 'VIDEO_TS', 'VTS_02_0.IFO'));
    const table = data.readUInt32BE(0xcc) * 2048;
    const empty = await hurt((file) => {
      for (const name of ['VTS_02_0.IFO', 'VTS_02_0.BUP']) overwrite(file(name), table, [0, 0]);
    });
    expect(empty.titles.map((t) => [t.number, t.state])).toEqual([
      [1, 'usable'],
      [2, 'unreadable'],
    ]);
    const looping = await hurt((file) => {
      for (const name of ['VTS_02_0.IFO', 'VTS_02_0.BUP']) overwrite(file(name), table + 12, [0, 0, 0, 0]);
    });
    expect(looping.titles.length).toBeGreaterThanOrEqual(1);
    expect(looping.remarks.length).toBeGreaterThan(0);
  });

  test('a title whose cells lie beyond the end is described, said to be cut short, and not taken', async () => {
    const reading = await hurt((file) => {
      truncateSync(file('VTS_02_1.VOB'), 2048 * 700);
    });
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'cut short']);
    expect(reading.damage).toMatchObject([{ content: 'VTS_02', firstSector: 700, cause: 'missing' }]);
    expect(codes(reading)).toEqual(['beyond-end']);
    expect(reading.titles[1]?.chapters).toHaveLength(3);
    expect(findRoles(reading).titles[1]).toMatchObject({ role: 'unusable' });
  });

  test('an image that was not copied whole says so', async () => {
    const data = readFileSync(QUAY);
    const reading = await readDisc(await openImage(memorySource('QUAY.iso', data.subarray(0, 4_000_000))));
    expect(codes(reading)).toEqual(expect.arrayContaining(['image-cut-short', 'beyond-end']));
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'damaged']);
    expect(reading.titles[1]?.chapters.map((c) => c.damaged)).toEqual([false, true, true]);
    expect(reading.damage).toMatchObject([{ content: 'VTS_02', cause: 'missing' }]);
  });

  test('a title set without its content can still be described', async () => {
    const reading = await hurt((file) => {
      rmSync(file('VTS_02_1.VOB'));
    });
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'unreadable']);
    expect(reading.titles[1]?.audio.map((a) => a.from)).toEqual(['tables', 'tables', 'tables']);
  });

  test('scrambling flags in the packets make a title one that is only described', async () => {
    const reading = await hurt((file) => {
      const vob = readFileSync(file('VTS_02_1.VOB'));
      // Set PES_scrambling_control in every video packet of the second half, as scrambled discs carry it.
      for (let at = Math.floor(vob.byteLength / 4096) * 2048; at < vob.byteLength; at += 2048) {
        if (vob.readUInt32BE(at + 14) === 0x1e0) vob[at + 20] = (vob[at + 20] ?? 0) | 0x30;
      }
      writeFileSync(file('VTS_02_1.VOB'), vob);
    });
    expect(reading.titles.map((t) => t.state)).toEqual(['usable', 'scrambled']);
    expect(reading.remarks).toEqual([expect.objectContaining({ code: 'scrambled', title: 2 })]);
  });

  test('what is no DVD at all is refused with what to do', async () => {
    const empty = path.join(folder, 'nothing-here', 'inside');
    mkdirSync(empty, { recursive: true });
    const error = await readFolder(empty).catch((e: unknown) => e);
    expect(error).toBeInstanceOf(DiscError);
    expect(error).toMatchObject({ code: 'not-a-disc', whatToDo: expect.stringContaining('VIDEO_TS') as string });
  });
});
