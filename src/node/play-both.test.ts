import { createWriteStream } from 'node:fs';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { Eyes } from '@/contract';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { TWIN, openDisc, temporaryFolder, titleOf, writeMasterFile } from '@/test-support/discs';
import { packetTimes } from '@/test-support/ffmpeg';
import { sumsOf, twinViews } from '@/test-support/two-views';
import { startBothViews, viewsInFile } from './play-both';

/** What is watched of a master with two views is compared with what its second view's own encoder reconstructed, and FFmpeg decoded of the first. */
const folder = temporaryFolder();
const { first, second } = twinViews();
const WIDTH = 320;
const LOSSLESS = ['-map', '0:v:0', '-map', '0:a:0', '-c:v', 'ffv1', '-c:a', 'pcm_s16le', '-f', 'matroska', 'pipe:1'];

async function master(title: number, change: Partial<Reel>): Promise<string> {
  const disc = await openDisc(TWIN);
  const file = path.join(folder, `${title} ${change.firstEye ?? 'told'}.mkv`);
  await writeMasterFile(disc, { ...wholeTitleReel(titleOf(disc.reading, title), 'test'), ...change }, file);
  await disc.opened.close();
  return file;
}

async function watched(file: string, eyes: Exclude<Eyes, 'first'>, startMs: number): Promise<string> {
  const views = await viewsInFile(file);
  if (!views) throw new Error('one view');
  const out = path.join(folder, `${eyes} ${startMs}.mkv`);
  const wish = { eyes, startMs, lengthMs: 60_000, filters: 'null', output: LOSSLESS };
  const { program, fed } = startBothViews(file, views, wish, new AbortController().signal);
  await Promise.all([pipeline(program.stdout, createWriteStream(out)), fed, program.end]);
  return out;
}

const at = (x: number) => `${WIDTH}:180:${x}:0`;

test('each eye, and both side by side, as the file says whose the first view is', async () => {
  const told = await master(1, {});
  expect(await viewsInFile(told)).toEqual({ firstEye: 'left', frameMs: expect.closeTo(1001 / 24, 3) as number });
  expect(sumsOf(await watched(told, 'left', 0), at(0))).toEqual(first);
  expect(sumsOf(await watched(told, 'right', 0), at(0))).toEqual(second);
  const other = await master(1, { firstEye: 'right' });
  expect((await viewsInFile(other))?.firstEye).toBe('right');
  const both = await watched(other, 'both', 0);
  expect(sumsOf(both, at(0))).toEqual(second);
  expect(sumsOf(both, at(WIDTH))).toEqual(first);
});

test('from a moment between two places where decoding can begin: the pictures from there on, with their sound', async () => {
  const file = await watched(await master(1, {}), 'both', 3200);
  const from = Math.ceil((3200 * 24) / 1001);
  expect(sumsOf(file, at(0))).toEqual(first.slice(from));
  expect(sumsOf(file, at(WIDTH))).toEqual(second.slice(from));
  const [video, audio] = ['v:0', 'a:0'].map((stream) => packetTimes(file, stream).map(({ pts }) => pts ?? 0));
  expect(Math.abs((video?.[0] ?? 9) - (audio?.[0] ?? -9))).toBeLessThan(0.06);
  expect(Math.abs((video?.at(-1) ?? 9) - (audio?.at(-1) ?? -9))).toBeLessThan(0.1);
});

test('of one view nothing is said', async () => {
  expect(await viewsInFile(await master(2, {}))).toBeNull();
});
