import { spawnSync } from 'node:child_process';
import {
  cpSync,
  existsSync,
  linkSync,
  mkdirSync,
  readFileSync,
  readdirSync,
  renameSync,
  rmSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';
import { elementary } from '@/test-support/ffmpeg';
import { HAVEN, PROVING, TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { damaged, seeded } from '@/test-support/random';
import { ReadingSchema } from '@/contract';
import { openVolume } from '@/node/open-volume';
import { DiscError, memorySource } from '../../bytes';
import { findRoles } from '../../findings';
import { wholeTitleReel } from '../../reels';
import { openImage } from '../../volume';
import { CORE_STREAM, readDisc, type Reading } from '..';

const read = async (disc: string): Promise<Reading> => {
  const { reading, opened } = await openDisc(disc);
  await opened.close();
  return reading;
};

/** A copy of the folder disc that may be changed. Clips are links: replace them, do not write into them. */
function copyOfHaven(): string {
  const copy = path.join(temporaryFolder(), 'HAVEN');
  const bring = (inside: string) => {
    mkdirSync(path.join(copy, inside), { recursive: true });
    for (const entry of readdirSync(path.join(HAVEN, inside), { withFileTypes: true })) {
      const name = path.join(inside, entry.name);
      if (entry.isDirectory()) bring(name);
      else if (entry.name.endsWith('.m2ts')) linkSync(path.join(HAVEN, name), path.join(copy, name));
      else cpSync(path.join(HAVEN, name), path.join(copy, name));
    }
  };
  bring('');
  return copy;
}

describe('a Blu-ray', () => {
  test('titles, chapters, tracks: what FFmpeg’s prober sees in the clips too', async () => {
    const reading = await read(HAVEN);
    expect(reading).toMatchObject({ kind: 'Blu-ray', contents: 7, remarks: [], javaMenus: false });
    expect(reading.names).toEqual([
      { language: 'en', name: 'Haven & Harbour' },
      { language: 'gd', name: 'Caladh' },
    ]);
    expect(reading.titles.map((t) => [t.playlist, t.state, t.durationMs])).toEqual([
      [1, 'usable', 7007],
      [2, 'usable', 12012],
      [3, 'usable', 4000],
      [4, 'usable', 3003],
      [5, 'usable', 3000],
      [6, 'usable', 7007],
      [10, 'usable', 2002],
    ]);
    const film = titleOf(reading, 1);
    expect(film.chapters.map((c) => c.startMs)).toEqual([0, 2002, 4004]);
    expect(film.audio.map((a) => [a.stream, a.codec, a.layout, a.bitDepth, a.language, a.coreOf])).toEqual([
      [0x1100, 'TrueHD', 'stereo', null, 'en', null],
      [0x1100 + CORE_STREAM, 'AC-3', 'stereo', null, 'en', 0x1100],
      [0x1102, 'AC-3', 'stereo', null, 'gd', null],
      [0x1103, 'LPCM', '5.1', 24, 'en', null],
    ]);
    expect(film.subtitles.map((s) => [s.stream, s.codec, s.language])).toEqual([
      [0x1200, 'PGS', 'en'],
      [0x1201, 'PGS', 'gd'],
    ]);
    for (const [title, clip] of [
      [1, '00001'],
      [3, '00004'],
      [4, '00005'],
      [5, '00006'],
    ] as const) {
      const { stdout } = spawnSync(
        'ffprobe',
        ['-v', 'error', '-show_streams', '-of', 'json', path.join(HAVEN, 'BDMV/STREAM', `${clip}.m2ts`)],
        { encoding: 'utf8' },
      );
      const [video] = (JSON.parse(stdout) as { streams: Record<string, unknown>[] }).streams;
      const ours = titleOf(reading, title).video;
      expect([ours.widthPixels, ours.heightPixels, ours.displayAspect.join(':')]).toEqual([
        video?.['width'],
        video?.['height'],
        video?.['display_aspect_ratio'] ?? '16:9',
      ]);
      if (ours.profile !== null) expect(ours.profile.startsWith(String(video?.['profile']))).toBe(true);
      expect(ours.bitDepth).toBe(String(video?.['pix_fmt']).includes('10') ? 10 : 8);
    }
    expect(titleOf(reading, 4).video.dynamicRange).toBe('HDR10');
    expect(titleOf(reading, 3).audio.map((a) => [a.codec, a.layout])).toEqual([
      ['LPCM', '7.1'],
      ['E-AC-3', '5.1'],
      ['DTS', '5.1'],
    ]);
  });

  test('titles that show the same material name the same segments, also where one shows only part of a clip', async () => {
    const reading = await read(HAVEN);
    const parts = (n: number) => titleOf(reading, n).parts.map((p) => p.segment);
    expect(parts(1)).toEqual(parts(6));
    expect(parts(2)).toEqual([...parts(1).slice(0, 2), ...parts(2).slice(2, -1), ...parts(1).slice(2)]);
    expect(parts(2)).toEqual(expect.arrayContaining(parts(7)));
    expect(parts(7)).toHaveLength(1);
  });

  test('where navigation leads, and what no playlist shows', async () => {
    const reading = await read(HAVEN);
    expect(reading.routes).toEqual([
      { title: 2, by: 'play', menus: 0, button: 0, selected: false },
      { title: 3, by: 'play', menus: 1, button: 0, selected: false },
      { title: 1, by: 'index', menus: 1, button: 1, selected: false },
      { title: 3, by: 'index', menus: 1, button: 2, selected: false },
    ]);
    expect(reading.loose.map((l) => l.content)).toEqual(['00007']);
  });

  test('angles, and a second view in a clip of its own', async () => {
    const reading = await read(TWIN);
    expect(reading).toMatchObject({ fileSystem: 'UDF', label: 'TWIN', remarks: [] });
    expect(titleOf(reading, 1).video.secondView).toEqual({ stream: 0x1012, baseIsRight: false });
    expect(titleOf(reading, 1).parts.map((p) => p.companion)).toEqual(['00012', '00012']);
    expect(titleOf(reading, 2)).toMatchObject({ angles: 3, durationMs: 4004 });
    expect(titleOf(reading, 2).parts.map((p) => p.angle)).toEqual([1, 1, 2, 2, 3, 3]);
    expect(titleOf(reading, 3).video.secondView).toBeNull();
    expect(reading.loose).toEqual([]);
  });

  test('crosses borders unchanged, and can be concluded on and planned', async () => {
    for (const disc of [HAVEN, TWIN]) {
      const reading = await read(disc);
      expect(ReadingSchema.parse(JSON.parse(JSON.stringify(reading)))).toEqual(reading);
      expect(findRoles(reading).titles).toHaveLength(reading.titles.length);
      for (const title of reading.titles) expect(wholeTitleReel(title, 'x').audio.length).toBe(title.audio.length);
    }
  });
});

describe('a Blu-ray that is not as it should be', () => {
  test('names in capitals, a folder above, the BDMV folder itself', async () => {
    const copy = copyOfHaven();
    renameSync(path.join(copy, 'BDMV', 'STREAM', '00004.m2ts'), path.join(copy, 'BDMV', 'STREAM', '00004.MTS'));
    renameSync(path.join(copy, 'BDMV', 'PLAYLIST'), path.join(copy, 'BDMV', 'playlist'));
    const expected = (await read(HAVEN)).titles.map((t) => t.playlist);
    for (const given of [copy, path.join(copy, 'BDMV'), path.dirname(copy)])
      expect((await read(given)).titles.map((t) => t.playlist)).toEqual(expected);
  });

  test('backup copies serve where the first is bad or gone, and it is said', async () => {
    const copy = copyOfHaven();
    writeFileSync(path.join(copy, 'BDMV', 'index.bdmv'), 'rubbish');
    writeFileSync(path.join(copy, 'BDMV', 'PLAYLIST', '00001.mpls'), '');
    rmSync(path.join(copy, 'BDMV', 'CLIPINF', '00002.clpi'));
    rmSync(path.join(copy, 'BDMV', 'PLAYLIST', '00003.mpls'));
    const reading = await read(copy);
    const whole = await read(HAVEN);
    expect(reading.remarks.map((r) => r.code)).toEqual(['backup-used', 'backup-used', 'backup-used', 'backup-used']);
    expect(reading.titles.map((t) => t.parts)).toEqual(whole.titles.map((t) => t.parts));
    expect(reading.fingerprint).toBe(whole.fingerprint);
  });

  test('one bad playlist or clip hides no other', async () => {
    const copy = copyOfHaven();
    for (const place of ['', 'BACKUP']) {
      writeFileSync(path.join(copy, 'BDMV', place, 'PLAYLIST', '00004.mpls'), 'rubbish');
      rmSync(path.join(copy, 'BDMV', place, 'CLIPINF', '00006.clpi'));
    }
    rmSync(path.join(copy, 'BDMV', 'STREAM', '00002.m2ts'));
    const reading = await read(copy);
    expect(reading.titles.map((t) => [t.playlist, t.state])).toEqual([
      [1, 'damaged'],
      [2, 'damaged'],
      [3, 'usable'],
      [5, 'usable'],
      [6, 'damaged'],
      [10, 'usable'],
    ]);
    expect(reading.remarks.filter((r) => r.code === 'structure-lost').length).toBeGreaterThanOrEqual(5);
  });

  test('a clip cut short, and one with the flags of protection', async () => {
    const copy = copyOfHaven();
    const clip = (name: string) => path.join(copy, 'BDMV', 'STREAM', `${name}.m2ts`);
    for (const name of ['00002', '00004']) {
      const data = readFileSync(clip(name));
      rmSync(clip(name));
      if (name === '00004') for (let at = 0; at < data.length; at += 192) data[at + 7] = (data[at + 7] ?? 0) | 0xc0;
      writeFileSync(clip(name), data);
    }
    truncateSync(clip('00002'), 1_000_000);
    const reading = await read(copy);
    expect(reading.titles.map((t) => [t.playlist, t.state]).slice(0, 4)).toEqual([
      [1, 'damaged'],
      [2, 'damaged'],
      [3, 'scrambled'],
      [4, 'usable'],
    ]);
    expect(findRoles(reading).titles.find((f) => f.title === 3)?.role).toBe('unusable');
  });

  test('a folder without playlists is no disc', async () => {
    const folder = temporaryFolder();
    mkdirSync(path.join(folder, 'BDMV', 'STREAM'), { recursive: true });
    mkdirSync(path.join(folder, 'BDMV', 'PLAYLIST'));
    await expect(read(folder)).rejects.toMatchObject({ code: 'not-found' });
  });

  test('an image damaged anywhere in its structures is read in part or refused with a typed error', async () => {
    const whole = new Uint8Array(readFileSync(TWIN));
    const sectors: number[] = [];
    for (let s = 16; s < 420; s++) sectors.push(s);
    const letters = ['INDX', 'MOBJ', 'MPLS', 'HDMV'].map((l) => Buffer.from(l));
    for (let s = 300; s * 2048 < whole.byteLength; s++)
      if (letters.some((l) => l.every((byte, i) => whole[s * 2048 + i] === byte))) sectors.push(s);
    let read = 0;
    for (let seed = 0; seed < 150; seed++) {
      const random = seeded(seed);
      const copy = whole.slice();
      for (let n = 1 + random.int(12); n > 0; n--) {
        const at = random.pick(sectors) * 2048;
        copy.set(damaged(copy.subarray(at, at + 2048), random), at);
      }
      try {
        const reading = await readDisc(await openImage(memorySource('damaged.iso', copy)));
        expect(ReadingSchema.safeParse(reading).error).toBeUndefined();
        findRoles(reading);
        read++;
      } catch (error) {
        if (!(error instanceof DiscError)) throw new Error(`seed ${seed}`, { cause: error });
      }
    }
    expect(read).toBeGreaterThan(60);
  });

  test('stopped on request, while it is read', async () => {
    const controller = new AbortController();
    const opened = await openVolume({ kind: 'folder', path: HAVEN, label: 'HAVEN' });
    const steps = new Set<string>();
    const reading = readDisc(opened.volume, {
      signal: controller.signal,
      onProgress: ({ step }) => {
        steps.add(step);
        if (step === 'clip') controller.abort();
      },
    });
    await expect(reading).rejects.toMatchObject({ code: 'cancelled' });
    expect([...steps]).toEqual(['opening', 'playlist', 'clip']);
    await opened.close();
    expect(existsSync(HAVEN)).toBe(true);
  });
});

describe('clips that do not go on as they began', () => {
  const CHANGES = path.join(PROVING, 'CHANGES');
  const folder = temporaryFolder();
  /** A copy of a disc folder whose files are links, so that some can be taken out or renamed. */
  const copied = (disc: string, name: string, change: (file: string) => string | null): string => {
    const target = path.join(folder, name);
    for (const entry of readdirSync(disc, { recursive: true, withFileTypes: true })) {
      if (!entry.isFile()) continue;
      const inside = path.relative(disc, path.join(entry.parentPath, entry.name));
      const kept = change(inside);
      if (kept === null) continue;
      mkdirSync(path.dirname(path.join(target, kept)), { recursive: true });
      linkSync(path.join(disc, inside), path.join(target, kept));
    }
    return target;
  };

  test('a track is a language and a kind, not a stream: it is followed to where it stands', async () => {
    const disc = await openDisc(CHANGES);
    const title = titleOf(disc.reading, 1);
    expect(title.audio.map((a) => a.language)).toEqual(['en', 'gd']);
    const crossed = [
      { stream: 0x1100, pid: 0x1101 },
      { stream: 0x1101, pid: 0x1100 },
    ];
    expect(title.parts.map((p) => p.moved)).toEqual([null, null, crossed, crossed]);
    expect(disc.reading.remarks).toMatchObject([{ code: 'streams-moved', severity: 'note', title: 1 }]);
    const file = path.join(folder, 'moved.mkv');
    await writeMasterFile(disc, wholeTitleReel(title, 'moved'), file);
    const clip = (name: string) => path.join(CHANGES, 'BDMV/STREAM', `${name}.m2ts`);
    // By FFmpeg's reading of the clips: English stands on 1100 in the first and on 1101 in the second.
    const english = Buffer.concat([elementary(clip('00071'), 'i:0x1100', 'ac3'), elementary(clip('00072'), 'i:0x1101', 'ac3')]);
    expect(elementary(file, 'a:0', 'ac3').equals(english)).toBe(true);
    await disc.opened.close();
  });

  test('a mark stays where it is, also inside a group of pictures; one at the very end begins nothing', async () => {
    const { reading, opened } = await openDisc(CHANGES);
    expect(titleOf(reading, 1).chapters.map((c) => c.startMs)).toEqual([0, 1500, 3003]);
    await opened.close();
    const disc = await openDisc(CHANGES);
    const { promise } = await writeMasterFile(disc, wholeTitleReel(titleOf(reading, 1), 'marks'), path.join(folder, 'marks.mkv'));
    const lead = promise.tracks[0]?.fromMs ?? 0;
    promise.chapters.slice(1).forEach((c, i) => {
      expect(Math.abs(c.startMs - lead - ([1500, 3003][i] ?? 0))).toBeLessThan(1);
    });
    await disc.opened.close();
  });

  test('another size of picture is said, and no file is made of both', async () => {
    const disc = await openDisc(CHANGES);
    const made = writeMasterFile(disc, wholeTitleReel(titleOf(disc.reading, 2), 'sizes'), path.join(folder, 'sizes.mkv'));
    await expect(made).rejects.toThrow(/changes from 320×180 to 480×272 with clip 00073/);
    await disc.opened.close();
  });

  test('a clip that is missing hurts its own chapters only', async () => {
    const disc = await openDisc(copied(HAVEN, 'missing', (f) => (f.endsWith('00003.m2ts') ? null : f)));
    const title = titleOf(disc.reading, 2);
    expect(title).toMatchObject({ state: 'damaged' });
    expect(title.chapters.map((c) => c.damaged)).toEqual([false, true, false]);
    const around = { ...wholeTitleReel(title, 'around', 'around') };
    const { promise } = await writeMasterFile(disc, around, path.join(folder, 'around.mkv'));
    const whole = await openDisc(HAVEN);
    const durations = titleOf(whole.reading, 2).durationMs;
    expect(Math.abs(promise.durationMs - durations)).toBeLessThan(30);
    const gone = promise.wholeness?.faults.filter((f) => f.kind === 'unreadable');
    expect(gone).toMatchObject([{ content: '00003', ms: 5005 }]);
    await Promise.all([disc.opened.close(), whole.opened.close()]);
  });

  test('names of eight and three letters are the same disc', async () => {
    const short: Readonly<Record<string, string>> = { mpls: 'MPL', clpi: 'CPI', m2ts: 'MTS', bdmv: 'BDM' };
    const renamed = (file: string) =>
      file
        .replace(/\.(\w+)$/, (_, ending: string) => `.${short[ending] ?? ending}`)
        .replace('MovieObject', 'MOVIEOBJ')
        .replace('index.', 'INDEX.');
    const [disc, whole] = await Promise.all([openDisc(copied(HAVEN, 'short', renamed)), openDisc(HAVEN)]);
    const same = (reading: typeof disc.reading) => [reading.fingerprint, reading.titles, reading.routes, reading.remarks];
    expect(same(disc.reading)).toEqual(same(whole.reading));
    await Promise.all([disc.opened.close(), whole.opened.close()]);
  });
});
