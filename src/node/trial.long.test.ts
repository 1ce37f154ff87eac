import { spawnSync } from 'node:child_process';
import { statSync } from 'node:fs';
import path from 'node:path';
import { SHIPPED, encoderArguments, type Recipe } from '@/core/recipes';
import { wholeTitleReel } from '@/core/reels';
import type { TrialLine } from '@/contract';
import { QUAY, temporaryFolder, titleOf } from '@/test-support/discs';
import { likeness } from '@/test-support/ffmpeg';
import { writeClip, type LookedAt } from './clips';
import { planOfClip } from './rehearsal';
import { findQuality, tryRecipes } from './trial';
import { openSource } from './open-source';

/** What a trial of recipes says, against what FFmpeg makes of the whole film by itself. */

const folder = temporaryFolder();
const { signal } = new AbortController();
const access = SHIPPED[0] as Recipe;
const recipe = (video: Partial<Recipe['video']>): Recipe => ({ ...access, video: { ...access.video, effort: 'little', ...video } });

async function looked(image: string, number: number): Promise<LookedAt> {
  const opened = await openSource({ kind: 'image', path: image, label: 'disc' });
  const reading = await opened.examine();
  const title = titleOf(reading, number);
  return { opened, reading, title, reel: wholeTitleReel(title, 'Tried') };
}

test('a trial says what encoding the whole of it then shows; the quality it finds is the last that is near enough', async () => {
  const at = await looked(QUAY, 2);
  const lines: TrialLine[] = [];
  const watch = { signal, say: (line: TrialLine) => lines.push(line) };
  const variants = [18, 26, 34].map((quality) => recipe({ quality }));
  await tryRecipes(at, variants, watch);
  const tried = lines.flatMap((l) => (l.type === 'tried' ? [l.result] : []));
  expect(tried).toHaveLength(3);
  for (const key of ['ssim', 'psnrDb', 'pictureBytes'] as const) {
    const values = tried.map((t) => t[key]);
    expect([...values].sort((a, b) => b - a)).toEqual(values);
  }
  // The whole of it, by FFmpeg alone.
  const [first] = tried;
  const clip = await writeClip(at, 0, at.title.durationMs, path.join(folder, 'whole.mkv'), signal);
  const { plan } = planOfClip(at, variants[0] as Recipe, clip);
  const out = path.join(folder, 'whole.h264');
  const only = { ...plan, audio: [], subtitles: [], container: 'Matroska' as const };
  expect(spawnSync('ffmpeg', encoderArguments(only, clip.file, out)).status).toBe(0);
  const bytes = statSync(out).size;
  expect(first?.leastBytes).toBeLessThanOrEqual(bytes * 1.05);
  expect(first?.mostBytes).toBeGreaterThanOrEqual(bytes * 0.95);
  const mean = likeness(out, clip.file).reduce((s, v, _, all) => s + v / all.length, 0);
  expect(Math.abs((first?.ssim ?? 0) - mean)).toBeLessThan(0.01);

  await at.opened.close();
});

test('the quality that is found is the last that is near enough; more than there is can not be had', async () => {
  const whole = await looked(QUAY, 2);
  const range = { fromMs: 0, toMs: 1500 };
  const at = { ...whole, reel: { ...whole.reel, pieces: whole.reel.pieces.map((p) => ({ ...p, range })) } };
  const lines: TrialLine[] = [];
  const watch = { signal, say: (line: TrialLine) => lines.push(line) };
  await findQuality(at, recipe({}), 0.975, watch);
  const found = lines.at(-1);
  if (found?.type !== 'found' || found.quality === null) throw new Error('nothing found');
  const tried = lines.flatMap((l) => (l.type === 'tried' ? [[l.quality ?? 0, l.result.ssim] as const] : []));
  expect(tried.length).toBeLessThanOrEqual(6);
  for (const [quality, ssim] of tried) expect([quality, ssim >= 0.975]).toEqual([quality, quality <= found.quality]);
  expect(tried.some(([quality]) => quality === found.quality)).toBe(true);
  lines.length = 0;
  await findQuality(at, recipe({}), 0.9999, watch);
  expect(lines.at(-1)).toEqual({ type: 'found', quality: null });
  await at.opened.close();
});
