import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { SHIPPED, type Recipe } from '@/core/recipes';
import { wholeTitleReel } from '@/core/reels';
import type { RehearsalLine } from '@/contract';
import { HAVEN, QUAY, TWIN, temporaryFolder, titleOf } from '@/test-support/discs';
import { likeness, probed } from '@/test-support/ffmpeg';
import { writeClip, type LookedAt } from './clips';
import { rehearseSample, rehearseStill } from './rehearsal';
import { openSource } from './open-source';

/** What is shown of a recipe before it is used, against what FFmpeg makes and says of the same film by itself. */

const folder = temporaryFolder();
const { signal } = new AbortController();
const access = SHIPPED[0] as Recipe;
const recipe = (video: Partial<Recipe['video']>, picture: Partial<Recipe['picture']> = {}): Recipe => ({
  ...access,
  video: { ...access.video, effort: 'little', ...video },
  picture: { ...access.picture, ...picture },
});

async function looked(image: string, number: number): Promise<LookedAt> {
  const opened = await openSource({ kind: image.endsWith('.iso') ? 'image' : 'folder', path: image, label: 'disc' });
  const reading = await opened.examine();
  const title = titleOf(reading, number);
  return { opened, reading, title, reel: wholeTitleReel(title, 'Tried') };
}

function picture(data: string | null | undefined, name: string): string {
  const file = path.join(folder, `${name}.jpg`);
  writeFileSync(file, Buffer.from((data ?? '').replace('data:image/jpeg;base64,', ''), 'base64'));
  return file;
}

async function stills(at: LookedAt, how: Recipe, ms: number) {
  const lines: RehearsalLine[] = [];
  await rehearseStill(at, how, ms, { signal, say: (line) => lines.push(line) });
  return lines;
}

test('a moment: the same picture before, treated and encoded, in one size; what is cut off is seen', async () => {
  const at = await looked(QUAY, 2);
  const [first, second, ...more] = await stills(at, recipe({ quality: 20 }), 2000);
  if (first?.type !== 'pictures' || second?.type !== 'encoded') throw new Error(`${first?.type} ${second?.type}`);
  expect(more).toEqual([]);
  const [before, treated, encoded] = [
    picture(first.before, 'before'),
    picture(first.treated, 'treated'),
    picture(second.picture, 'encoded'),
  ];
  // The film moves: the picture beside it is another one.
  const [later] = await stills(at, recipe({}), 2200);
  const other = picture(later?.type === 'pictures' ? later.before : null, 'later');
  const [same] = likeness(before, encoded);
  expect(same).toBeGreaterThan(0.9);
  expect(same).toBeGreaterThan((likeness(other, encoded)[0] ?? 1) + 0.01);
  expect(likeness(treated, encoded)[0]).toBeGreaterThan(0.95);
  for (const file of [before, treated, encoded]) expect(probed(file).streams[0]).toMatchObject({ width: 1024, height: 576 });
  expect(second.bytesPerSecond).toBeGreaterThan(1000);
  // A worse one is seen to be worse.
  const [, poor] = await stills(at, recipe({ quality: 40 }), 2000);
  const worse = picture(poor?.type === 'encoded' ? poor.picture : null, 'poor');
  expect(likeness(treated, worse)[0]).toBeLessThan((likeness(treated, encoded)[0] ?? 0) - 0.02);
  await at.opened.close();
});

test('of two views the picture before holds both, as the copy will: what is seen of it in the end is what encoding does', async () => {
  const at = await looked(TWIN, 1);
  for (const layout of ['side by side, half', 'over-under', 'right eye'] as const) {
    const how = { ...recipe({ quality: 16 }, { mostRows: null }), views: { layout, swapped: false } };
    const [first, second] = await stills(at, how, 1000);
    if (first?.type !== 'pictures' || second?.type !== 'encoded') throw new Error(`${first?.type} ${second?.type}`);
    const [before, plain, encoded] = [picture(first.before, 'before'), picture(first.plain, 'plain'), picture(second.picture, 'encoded')];
    const [whole, one] = [before, plain].map((p) => likeness(p, encoded)[0] ?? 0);
    expect([layout, whole]).toEqual([layout, expect.closeTo(1, 1)]);
    // Bars are marked on one eye's picture, which is another one.
    expect(one).toBeLessThan((whole ?? 0) - 0.03);
  }
  const single = { ...recipe({ quality: 16 }), views: { layout: 'left eye' as const, swapped: false } };
  expect((await stills(at, single, 1000))[0]).toMatchObject({ type: 'pictures', plain: null });
  await at.opened.close();
});

test('nothing is shown as encoded where nothing is; the very end of a title has its picture', async () => {
  const at = await looked(HAVEN, 1);
  const copied = { ...access, video: { ...access.video, codec: 'as it is' as const, quality: null } };
  expect(await stills(at, copied, 1000)).toMatchObject([{ type: 'pictures', treated: null, copied: true }]);
  // A recipe by size takes two passes over the whole; a moment of it is tried at the same rate in one.
  const sized = recipe({ quality: null, rate: { kind: 'size', megabytes: 1 } });
  expect(await stills(at, sized, 1000)).toMatchObject([{ type: 'pictures' }, { type: 'encoded' }]);
  expect(await stills(at, recipe({}), at.title.durationMs)).toMatchObject([{ type: 'pictures' }, { type: 'encoded' }]);
  await at.opened.close();
});

test('a sample is ten seconds of the copy, its sound with it, in something that pages play', async () => {
  const at = await looked(HAVEN, 1);
  const saver = SHIPPED.find((r) => r.id === 'shelf-saver') as Recipe;
  for (const [how, codecs] of [
    [access, ['h264', 'aac']],
    [{ ...saver, video: { ...saver.video, codec: 'HEVC' as const, quality: null, effort: 'little' as const } }, ['h264', 'aac']],
  ] as const) {
    const file = path.join(folder, `sample ${how.id}`);
    expect(await rehearseSample(at, how, 500, file, signal)).toBe('video/mp4');
    const { streams, format } = probed(file);
    expect(streams.map((s) => s.codec_name).slice(0, 2)).toEqual(codecs);
    expect(Math.abs(Number(format.duration) - Math.min(10, at.title.durationMs / 1000))).toBeLessThan(0.8);
  }
  await at.opened.close();
});

test('a sample is as loud as was wished of the whole, by what FFmpeg measures of both', async () => {
  const at = await looked(HAVEN, 1);
  const loudness = (file: string) => {
    const { stderr } = spawnSync('ffmpeg', ['-nostats', '-i', file, '-map', '0:a:0', '-af', 'ebur128', '-f', 'null', '-'], {
      encoding: 'utf8',
    });
    return Number([...stderr.matchAll(/I:\s+(-?[\d.]+) LUFS/g)].at(-1)?.[1]);
  };
  const sampled = async (wished: number | null) => {
    const file = path.join(folder, `as loud as ${wished}`);
    await rehearseSample(at, { ...access, audio: { ...access.audio, loudness: wished } }, 500, file, signal);
    return loudness(file);
  };
  const whole = path.join(folder, 'whole.mkv');
  await writeClip(at, 0, at.title.durationMs, whole, signal);
  const plain = await sampled(null);
  const soft = await sampled(-36);
  expect(Math.abs(plain - -36)).toBeGreaterThan(3);
  expect(Math.abs(soft - plain - (-36 - loudness(whole)))).toBeLessThan(1);
  await at.opened.close();
});
