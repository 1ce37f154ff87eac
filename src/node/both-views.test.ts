import { writeUdfImage, type ImageFile } from '../../demo/udf-author';
import { readExactly } from '@/core/bytes';
import type { Volume } from '@/core/volume';
import { openVolume } from './open-volume';
import { spawnSync } from 'node:child_process';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { MasterPromise } from '@/core/proof';
import type { Reading } from '@/core/reading';
import { SHIPPED, planEncode, type EncodeFacts, type Recipe, type ViewLayout } from '@/core/recipes';
import { encodeFacts, wholeTitleReel, type Reel } from '@/core/reels';
import { TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { factsOf, ffmpeg } from '@/test-support/encodes';
import { decodedFrames, packetTimes, probed } from '@/test-support/ffmpeg';
import { PAIRS, PAIR_FRAME_TICKS, PAIR_SIZE, pairMaster, samplePair, sumsOf, twinViews } from '@/test-support/two-views';
import { encodeCopy } from './encode-pieces';
import { probeShape } from './ffmpeg';
import { openFileSink } from './library';
import { openSource } from './open-source';
import { proveMasterFile } from './prove-file';
import { writeReel } from './write-reel';

/** Copies of titles with two views: what is in them is compared with what the pairs' own encoder reconstructed. */

const folder = temporaryFolder();
const { width, height } = PAIR_SIZE;
const facts: EncodeFacts = {
  ...factsOf(
    {
      codec: 'H.264',
      widthPixels: width,
      heightPixels: height,
      displayAspect: [width, height],
      frameTicks: PAIR_FRAME_TICKS,
      twoViews: true,
    },
    null,
  ),
  flaggedInterlaced: false,
  durationMs: 1000,
};
const recipe = (layout: ViewLayout, swapped = false): Recipe => ({
  ...(SHIPPED[0] as Recipe),
  container: 'Matroska',
  video: { ...(SHIPPED[0] as Recipe).video, codec: 'FFV1', rate: null },
  picture: { ...(SHIPPED[0] as Recipe).picture, mostRows: null },
  // Sound that is encoded begins earlier, and all else is moved for it.
  audio: { ...(SHIPPED[0] as Recipe).audio, codec: 'as it is' },
  views: { layout, swapped },
});

async function copyOf(name: (typeof PAIRS)[number], r: Recipe): Promise<{ file: string; notes: string[] }> {
  const [master, output] = [path.join(folder, `${name}.mkv`), path.join(folder, `${name} ${r.views.layout} ${r.views.swapped}.mkv`)];
  await pairMaster(name, master);
  const notes: string[] = [];
  const order = {
    plan: planEncode(r, facts),
    master,
    masterMs: 1000,
    output,
    folder: `${output}.pieces`,
    application: 'test',
    pieceMs: 60_000,
  };
  await encodeCopy(order, { progress: () => undefined, note: (text) => notes.push(text) });
  return { file: output, notes };
}

test.each(PAIRS)('%s: both halves of a side-by-side copy are the two views, picture by picture', async (name) => {
  const { sums } = samplePair(name);
  const { file, notes } = await copyOf(name, recipe('side by side'));
  expect(notes).toEqual([]);
  expect(sumsOf(file, `${width}:${height}:0:0`)).toEqual(sums[0]);
  expect(sumsOf(file, `${width}:${height}:${width}:0`)).toEqual(sums[1]);
});

test('over-under with the right eye first, and each eye alone', async () => {
  const { sums } = samplePair('b-implicit');
  const { file: below } = await copyOf('b-implicit', recipe('over-under', true));
  expect(sumsOf(below, `${width}:${height}:0:0`)).toEqual(sums[1]);
  expect(sumsOf(below, `${width}:${height}:0:${height}`)).toEqual(sums[0]);
  const { file: right } = await copyOf('b-implicit', recipe('right eye'));
  expect(sumsOf(right, `${width}:${height}:0:0`)).toEqual(sums[1]);
  const { file: left } = await copyOf('b-implicit', recipe('left eye'));
  expect(sumsOf(left, `${width}:${height}:0:0`)).toEqual(sums[0]);
});

/** When each picture of the first track is shown, in whole milliseconds: sound is in step by that. */
const shownAt = (file: string): number[] =>
  packetTimes(file, 'v:0')
    .map(({ pts }) => Math.round((pts ?? 0) * 1000))
    .sort((a, b) => a - b);

describe('from a disc', () => {
  const { first, second } = twinViews();

  async function fromDisc(
    change: Partial<Reel>,
    pieceMs: number,
  ): Promise<{ file: string; master: string; pieces: number; notes: string[] }> {
    const disc = await openDisc(TWIN);
    const reel = { ...wholeTitleReel(titleOf(disc.reading, 1), 'test'), ...change };
    const master = path.join(folder, `disc ${pieceMs}.mkv`);
    const { promise } = await writeMasterFile(disc, reel, master);
    await disc.opened.close();
    return { master, ...(await beside(disc.reading, reel, master, promise.durationMs, pieceMs)) };
  }
  /** A copy of a master with both views side by side. */
  async function beside(reading: Reading, reel: Reel, master: string, masterMs: number, pieceMs: number) {
    const known = encodeFacts(reading, reel, false);
    if (!known) throw new Error('no such title');
    const file = `${master} copy.mkv`;
    const notes: string[] = [];
    const order = {
      ...{ plan: planEncode(recipe('side by side'), known), master, masterMs, output: file },
      ...{ folder: `${file}.pieces`, application: 'test', pieceMs },
    };
    const { pieces } = await encodeCopy(order, { progress: () => undefined, note: (text) => notes.push(text) });
    return { file, pieces, notes };
  }
  const size = '320:180';

  test.each([
    ['in one go', 60_000, 1],
    ['in pieces, each of which begins at a picture that refers to none before it', 1000, 3],
  ])('%s: every picture of both views', async (_, pieceMs, least) => {
    const { file, master, pieces, notes } = await fromDisc({}, pieceMs);
    expect(notes).toEqual([]);
    expect(pieces).toBeGreaterThanOrEqual(least);
    expect(shownAt(file)).toEqual(shownAt(master));
    expect(sumsOf(file, `${size}:0:0`)).toEqual(first);
    expect(sumsOf(file, `${size}:${size.split(':')[0]}:0`)).toEqual(second);
  });

  test('a master that is made anew from a master as a file has both views still', async () => {
    const { master } = await fromDisc({}, 60_000);
    const source = await openSource({ kind: 'file', path: master, label: 'master' });
    const reading = await source.examine();
    expect(reading.titles[0]?.video.secondView).toMatchObject({ baseIsRight: false });
    const reel = { ...wholeTitleReel(titleOf(reading, 1), 'anew'), recipes: ['master' as const] };
    const anew = path.join(folder, 'anew.mkv');
    const sink = await openFileSink(anew);
    const { promise } = await writeReel(source, reading, reel, sink, { signal: new AbortController().signal, onProgress: () => undefined });
    await sink.close();
    await source.close();
    // The type of the mapping that says so stands in the file, as it did.
    for (const made of [master, anew]) expect(readFileSync(made).includes('mvcC')).toBe(true);
    const { file, notes } = await beside(reading, reel, anew, promise.durationMs, 60_000);
    expect(notes).toEqual([]);
    expect(sumsOf(file, `${size}:0:0`)).toEqual(first);
    expect(sumsOf(file, `${size}:${size.split(':')[0]}:0`)).toEqual(second);
  });
});

/** Every file of a volume, with its bytes. */
async function filesOf(volume: Volume, inside = ''): Promise<ImageFile[]> {
  const found: ImageFile[] = [];
  for (const { name, kind } of (await volume.list(inside)) ?? []) {
    const at = inside === '' ? name : `${inside}/${name}`;
    if (kind === 'folder') found.push(...(await filesOf(volume, at)));
    else {
      const file = await volume.open(at);
      if (file) found.push({ path: at, data: await readExactly(file, 0, file.sizeBytes, at) });
    }
  }
  return found;
}

test('clips that lie in turn on the disc, with the file of both that players read, give the same master as clips apart', async () => {
  const apart = await openDisc(TWIN);
  const opened = await openVolume({ kind: 'image', path: TWIN, label: 'TWIN' });
  const files = await filesOf(opened.volume);
  await opened.close();
  // By the disc's own plan: the first view, and what is predicted from it.
  const names = ['BDMV/STREAM/00011.m2ts', 'BDMV/STREAM/00012.m2ts'] as const;
  expect(titleOf(apart.reading, 1).parts[0]?.companion).toContain('00012');
  const both = 'BDMV/STREAM/SSIF/00011.ssif';
  // Other lengths than any of ours: a sector, and as many aligned units as discs have between two jumps.
  for (const pieceBytes of [2048, 6144 * 7]) {
    const image = path.join(folder, `in turn ${pieceBytes}.iso`);
    writeFileSync(image, writeUdfImage(files, { kind: 'metadata', label: 'TWIN', interleaved: { path: both, of: names, pieceBytes } }));
    // What lies there is what was meant, by a reader of another house.
    const taken = path.join(folder, `taken ${pieceBytes}`);
    spawnSync('7z', ['x', '-y', `-o${taken}`, image, ...names, both], { stdio: 'ignore' });
    for (const name of names)
      expect(readFileSync(path.join(taken, name)).equals(files.find((f) => f.path === name)?.data ?? Buffer.of())).toBe(true);
    expect(statSync(path.join(taken, both)).size).toBe(names.reduce((sum, n) => sum + statSync(path.join(taken, n)).size, 0));
    const turned = await openDisc(image);
    expect(turned.reading.fingerprint).toBe(apart.reading.fingerprint);
    const masters: Buffer[] = [];
    for (const [i, disc] of [apart, turned].entries()) {
      const file = path.join(folder, `master ${pieceBytes} ${i}.mkv`);
      await writeMasterFile(disc, wholeTitleReel(titleOf(disc.reading, 1), 'same'), file);
      masters.push(readFileSync(file));
    }
    expect(masters[0]?.byteLength).toBeGreaterThan(100_000);
    expect(masters[0]?.equals(masters[1] ?? Buffer.of())).toBe(true);
    await turned.opened.close();
  }
  await apart.opened.close();
});

describe('two titles, of one eye each', () => {
  /** Title 2 of the disc has three angles of the same length: two of them stand for two eyes here. */
  async function pairOf(recipes: Recipe, ending = 'mkv'): Promise<{ master: string; copy: string; promised: MasterPromise }> {
    const disc = await openSource({ kind: 'image', path: TWIN, label: 'TWIN' });
    const reading = await disc.examine();
    const whole = wholeTitleReel(titleOf(reading, 2), 'pair');
    const reel: Reel = { ...whole, otherEye: { title: 2, angle: 2, eye: 'right' } };
    const [master, copy] = [path.join(folder, 'pair.mkv'), path.join(folder, `pair ${recipes.views.layout}.${ending}`)];
    const sink = await openFileSink(master);
    const { promise } = await writeReel(disc, reading, reel, sink, { signal: new AbortController().signal, onProgress: () => undefined });
    await sink.close();
    await disc.close();
    const known = encodeFacts(reading, reel, false);
    if (!known) throw new Error('no such title');
    const order = {
      ...{ plan: planEncode(recipes, known), master, masterMs: promise.durationMs, output: copy },
      ...{ folder: `${copy}.pieces`, application: 'test', pieceMs: 60_000 },
    };
    await encodeCopy(order, { progress: () => undefined, note: () => undefined });
    return { master, copy, promised: promise };
  }
  const angle = async (number: number): Promise<string[]> => {
    const disc = await openDisc(TWIN);
    const whole = wholeTitleReel(titleOf(disc.reading, 2), 'angle');
    const file = path.join(folder, `angle ${number}.mkv`);
    await writeMasterFile(disc, { ...whole, pieces: whole.pieces.map((p) => ({ ...p, angle: number })) }, file);
    await disc.opened.close();
    return decodedFrames(file, 'v:0');
  };

  test('the master holds both pictures, proven like any track; a copy holds both in one', async () => {
    const { master, copy, promised } = await pairOf(recipe('side by side'));
    const eyes = [await angle(1), await angle(2)];
    expect([decodedFrames(master, 'v:0'), decodedFrames(master, 'v:1')]).toEqual(eyes);
    const { proof } = await proveMasterFile(master, promised, 'SHA-512', new AbortController().signal);
    expect(proof).toMatchObject({ passed: true, tracks: 3, identicalTracks: 3 });
    expect(promised.wholeness?.witnesses.pictures).toBe(2 * promised.frames);
    expect(shownAt(copy)).toEqual(shownAt(master));
    // The prober reads of the pair what it is.
    const { copy: shown } = await pairOf(
      { ...recipe('side by side, half'), ...{ container: 'MP4', video: { ...(SHIPPED[0] as Recipe).video } } },
      'mp4',
    );
    expect((await probeShape(shown, 'MP4'))?.video.views).toBe(2);
    expect(sumsOf(copy, '320:180:0:0')).toEqual(eyes[0]);
    expect(sumsOf(copy, '320:180:320:0')).toEqual(eyes[1]);
    const { copy: single } = await pairOf(recipe('right eye'));
    expect(sumsOf(single, '320:180:0:0')).toEqual(eyes[1]);
    for (const codec of ['AV1', 'VP9', 'MPEG-2', 'MPEG-4'] as const) {
      const made = {
        ...recipe('side by side'),
        video: { ...(SHIPPED[0] as Recipe).video, codec, quality: codec.startsWith('MPEG') ? 3 : 30 },
      };
      const { copy: other } = await pairOf(made, `${codec}.mkv`);
      const times = shownAt(other);
      expect([codec, decodedFrames(other, 'v:0').length, times.length]).toEqual([codec, eyes[0]?.length, eyes[0]?.length]);
      // MPEG-2 has only the places of its rate, for it knows no other clock here.
      const late = shownAt(copy).map((ms, i) => Math.abs(ms - (times[i] ?? 0)));
      expect(Math.max(...late)).toBeLessThanOrEqual(codec === 'MPEG-2' ? 21 : 0);
    }
    // What can not be divided says in its stream, too, how both lie in it: of HEVC without any container, with every picture.
    const hevc = { ...recipe('over-under'), video: { ...(SHIPPED[0] as Recipe).video, codec: 'HEVC' as const } };
    const { copy: packed } = await pairOf(hevc, 'hevc.mkv');
    const bare = path.join(folder, 'pair.hevc');
    ffmpeg(['-i', packed, '-map', '0:v', '-c', 'copy', '-f', 'hevc', bare]);
    const said = ffmpeg(['-i', bare, '-vf', 'showinfo', '-f', 'null', '-']);
    expect(said.match(/stereoscopic information: type - top and bottom\n/g)).toHaveLength(eyes[0]?.length ?? 0);
    expect(shownAt(packed)).toEqual(shownAt(copy));
    expect(probed(packed).streams.map((s) => s.codec_type)).toEqual(probed(copy).streams.map((s) => s.codec_type));
  });
});
