import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import type { SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { SHIPPED, type Recipe } from '@/core/recipes';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { titleOf } from '@/test-support/discs';
import { probed } from '@/test-support/ffmpeg';
import { TestEngine } from '@/test-support/engine';

/** Several copies of one reel: its disc is read once, each is proven by itself, and what was finished is not made again. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const access = SHIPPED[0] as Recipe;
/** Slow enough to be killed in the midst of. */
const slow: Recipe = {
  ...access,
  id: 'own-slow',
  name: 'Slow one',
  suffix: ' (slow)',
  container: 'Matroska',
  video: { ...access.video, effort: 'much', quality: 16 },
  picture: { ...access.picture, deinterlace: 'fields' },
};
const reel =
  (name: string, recipes: readonly string[]) =>
  (reading: Reading): Reel => {
    const whole = wholeTitleReel(titleOf(reading, 2), name);
    return { ...whole, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })), recipes };
  };

const engine = new TestEngine([]);
const inLibrary = () =>
  readdirSync(engine.library)
    .filter((n) => !n.startsWith('.'))
    .sort();

beforeAll(() => engine.start());
afterAll(() => engine.stop('SIGKILL'));

test('two copies without a master: the disc is read once, the master that they are made from is not kept', async () => {
  const { jobId } = await engine.submit(image, reel('Twice', ['access', 'own-slow']), 'library', '', [access, slow]);
  const running = await engine.jobUntil(jobId, (j) => j.copy === 'own-slow');
  expect(running.copies.map((c) => c.name)).toEqual(['Access copy', 'Slow one']);
  const pid = (JSON.parse(readFileSync(path.join(engine.folder, 'jobs', jobId, 'runner.json'), 'utf8')) as { pid: number }).pid;
  process.kill(pid, 'SIGKILL');
  const job = await engine.jobUntil(jobId, (j) => j.state === 'done' || j.state === 'failed');
  expect(job).toMatchObject({ state: 'done', problem: null });
  expect(inLibrary()).toEqual(['Twice (slow).mkv', 'Twice (slow).mkv.json', 'Twice.mp4', 'Twice.mp4.json']);
  const { events } = await engine.call('jobLog', { id: jobId });
  const begun = events.flatMap((e) => (e.type === 'stage' ? [`${e.stage} ${e.copy ?? ''}`.trim()] : []));
  expect(begun.filter((s) => s === 'master')).toHaveLength(1);
  expect(begun.filter((s) => s === 'access access')).toHaveLength(1);
  expect(begun.filter((s) => s === 'access own-slow')).toHaveLength(2);

  const outputs = await engine.outputs();
  const copy = outputs.find((o) => o.sidecar.recipe === 'own-slow');
  expect(copy?.sidecar.copy?.recipe).toEqual(slow);
  expect(copy?.sidecar.proof).toMatchObject({ passed: true });
  // What FFmpeg's prober says: fields became frames, and the Matroska copy has its subtitles.
  const { streams } = probed(path.join(engine.library, 'Twice (slow).mkv'));
  expect(streams.map((s) => s.codec_name)).toEqual(['h264', 'aac', 'aac', 'aac', 'dvd_subtitle', 'dvd_subtitle']);
  expect(streams[0]).toMatchObject({ r_frame_rate: '50/1' });
  expect(copy?.sidecar.proof.checks.find((c) => c.what === 'packets')?.found).toBe('140');
  // Proven again from its sidecar alone, by what its recipe makes of it.
  expect(await engine.call('reprove', { id: copy?.id ?? '' })).toMatchObject({ proof: { passed: true }, sha256Matches: true });
});

test('a recipe that did not come with the reel, and one that is none, are refused', async () => {
  await expect(engine.submit(image, reel('Unknown', ['own-nowhere']), 'library', '', [])).rejects.toThrow(/was not sent/);
  const spoilt = { ...access, id: 'own-x', video: { ...access.video, codec: '-i /etc/passwd' } } as unknown as Recipe;
  await expect(engine.submit(image, reel('Spoilt', ['own-x']), 'library', '', [spoilt])).rejects.toThrow();
  expect(inLibrary().filter((n) => /Unknown|Spoilt/.test(n))).toEqual([]);
});
