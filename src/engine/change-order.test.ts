import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { ChangeWish, SourceRef } from '@/contract';
import type { Recipe } from '@/core/recipes';
import { wholeTitleReel, type Reel } from '@/core/reels';
import type { Reading } from '@/core/reading';
import { PROVING, temporaryFolder, titleOf } from '@/test-support/discs';
import { probed } from '@/test-support/ffmpeg';
import { TestEngine, refusal } from '@/test-support/engine';
import { QUICK } from '@/test-support/recipes';

/** A job that failed or was cancelled is tried again, changed: what is still wanted is not made again, and nothing is half changed. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const loose: SourceRef = { kind: 'place', root: 'sounds', path: 'LOOSE.iso' };
const access = QUICK;
const hevc: Recipe = { ...access, id: 'own-hevc', name: 'Later one', suffix: ' (later)', video: { ...access.video, codec: 'HEVC' } };
const reel =
  (name: string, recipes: readonly string[]) =>
  (reading: Reading): Reel => {
    const whole = wholeTitleReel(titleOf(reading, 2), name);
    return { ...whole, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })), recipes };
  };
const lent = temporaryFolder();
const engine = new TestEngine([], [{ id: 'lent', name: 'Lending shelf', path: lent }]);
/** Where this file is, HEVC can not be encoded. */
const broken = path.join(engine.folder, 'broken');
const programs = path.join(engine.folder, 'programs');
mkdirSync(programs);
writeFileSync(
  path.join(programs, 'ffmpeg'),
  `#!/bin/bash\ncase "$*" in *libx265*) [ -e '${broken}' ] && { echo 'no memory' >&2; exit 1; };; esac\nexec /usr/bin/ffmpeg "$@"\n`,
  { mode: 0o755 },
);
process.env['PATH'] = `${programs}:${process.env['PATH'] ?? ''}`;

beforeAll(async () => {
  await engine.start();
  await engine.call('takeStorage', { id: 'lent' });
});
afterAll(() => engine.stop('SIGKILL'));

const over = (j: { state: string }) => j.state === 'done' || j.state === 'failed' || j.state === 'cancelled';
const change = (id: string, wish: Partial<ChangeWish>) =>
  engine.call('changeJob', { id, body: { storage: 'library', folder: '', fileName: 'Film', recipes: ['master'], copies: [], ...wish } });
const orderOf = (id: string) => readFileSync(path.join(engine.folder, 'jobs', id, 'job.json'), 'utf8');
const stages = async (id: string) =>
  (await engine.call('jobLog', { id })).events.flatMap((e) => (e.type === 'stage' ? [`${e.stage} ${e.copy ?? ''}`.trim()] : []));

test('to another storage, under another name, by other recipes; what is shown of it outlasts the engine', async () => {
  engine.holdEncoders();
  const { jobId } = await engine.submit(image, reel('First', ['master', 'access']), 'library', '', [access]);
  expect(await refusal(change(jobId, {}))).toBe('bad-request');
  await engine.encoding(jobId);
  await engine.call('cancelJob', { id: jobId });
  await engine.jobUntil(jobId, (j) => j.state === 'cancelled');
  const before = orderOf(jobId);
  // Each is refused for its own reason, and nothing of it is changed.
  mkdirSync(path.join(lent, 'Box'));
  writeFileSync(path.join(lent, 'Box', 'Taken.mkv'), 'a film');
  expect(await refusal(change(jobId, { storage: 'lent', folder: 'Box', fileName: 'Taken' }))).toBe('name-taken');
  expect(await refusal(change(jobId, { storage: 'nowhere' }))).toBe('not-known');
  expect(await refusal(change(jobId, { recipes: ['own-unsent'] }))).toBe('bad-request');
  expect([orderOf(jobId) === before, (await engine.job(jobId)).state]).toEqual([true, 'cancelled']);

  await change(jobId, { storage: 'lent', folder: 'Box', fileName: '../Second', recipes: ['master', 'own-hevc'], copies: [hevc] });
  await engine.stop('SIGKILL');
  await engine.start();
  const job = await engine.jobUntil(jobId, over);
  expect(job).toMatchObject({ state: 'done', problem: null, storage: 'Lending shelf', storageId: 'lent', folder: 'Box' });
  expect(job.recipes).toEqual(['master', 'own-hevc']);
  const names = readdirSync(path.join(lent, 'Box')).sort();
  expect(names.filter((n) => n !== 'Taken.mkv')).toEqual(
    ['', ' (later)'].flatMap((s) => [`${job.fileName}${s}.${s ? 'mp4' : 'mkv'}`, `${job.fileName}${s}.${s ? 'mp4' : 'mkv'}.json`]).sort(),
  );
  expect(readdirSync(engine.library).filter((n) => !n.startsWith('.'))).toEqual([]);
  expect(engine.unfinished()).toEqual([]);
  expect(probed(path.join(lent, 'Box', `${job.fileName} (later).mp4`)).streams[0]?.codec_name).toBe('hevc');
  for (const { id } of await engine.outputs())
    expect(await engine.call('reprove', { id })).toMatchObject({ proof: { passed: true }, digestMatches: true });
});

test('a copy that can not be made is made by another recipe, without the disc; what is in the library stays where it is', async () => {
  writeFileSync(broken, '');
  const disc = path.join(engine.sounds, 'LOOSE.iso');
  writeFileSync(disc, readFileSync(path.join(PROVING, 'QUAY.iso')));
  const { jobId } = await engine.submit(loose, reel('Held', ['master', 'own-hevc']), 'library', '', [hevc]);
  const failed = await engine.jobUntil(jobId, over);
  expect(failed).toMatchObject({ state: 'failed', files: [path.join(engine.library, 'Held.mkv')] });
  expect(await refusal(change(jobId, { fileName: 'Other', recipes: ['master'] }))).toBe('placed-already');
  rmSync(disc);
  await change(jobId, { fileName: 'Held', recipes: ['master', 'access'], copies: [access] });
  expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done', problem: null });
  expect((await stages(jobId)).filter((s) => s === 'master')).toHaveLength(1);
  expect(readdirSync(engine.library).filter((n) => !n.startsWith('.'))).toEqual(['Held.mkv', 'Held.mkv.json', 'Held.mp4', 'Held.mp4.json']);
  expect(existsSync(path.join(engine.library, '.careful-vault', jobId))).toBe(false);
  const copy = (await engine.outputs()).find((o) => o.path === 'Held.mp4');
  expect(copy?.sidecar).toMatchObject({ recipe: 'access', proof: { passed: true }, reel: { recipes: ['master', 'access'] } });
});

test('a file of sound of a reel that has none is refused, with the recipe’s name, before anything is made', async () => {
  const sound: Recipe = { ...access, id: 'own-sound', name: 'To listen to', container: 'FLAC', audio: { ...access.audio, codec: 'FLAC' } };
  const silent = (reading: Reading): Reel => ({ ...wholeTitleReel(titleOf(reading, 4), 'Silent'), recipes: ['own-sound'] });
  const submitted = engine.submit({ kind: 'place', root: 'images', path: 'SLIDES.iso' }, silent, 'library', '', [sound]);
  await expect(submitted).rejects.toThrow('“To listen to” makes a file of sound');
  expect((await engine.call('state')).jobs.filter((j) => j.name === 'Silent')).toEqual([]);
});
