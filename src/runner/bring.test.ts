import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { Job } from '@/contract';
import { createDigest } from '@/node/hash';
import { workshopOf } from '@/node/library';
import { temporaryFolder } from '@/test-support/discs';
import { bringMaster, forgetBrought } from './bring';
import type { StageContext } from './stages';

/** What is finished is taken along to another storage, stopped wherever: nothing is lost, nothing left behind, nothing half there taken for whole. */

const MASTER = Buffer.alloc(3_000_000, 'master');
const WORDS = Buffer.from('1\n00:00:01,000 --> 00:00:02,000\nLow water\n');
const beside = [{ ending: '.en.srt', sizeBytes: WORDS.length, digest: createDigest('SHA-256').update(WORDS).digest('hex'), track: 2 }];
const brought = { masterBytes: MASTER.length, beside };

function storages(): {
  context: StageContext;
  from: Job['storage'];
  old: (name: string) => string;
  now: (name: string) => string;
  stop: AbortController;
} {
  const [before, after] = [temporaryFolder(), temporaryFolder()];
  const job = {
    ...{ id: 'job-to-move', folder: '', fileName: 'Film', places: [], copies: [] },
    storage: { id: 'after', name: 'After', path: after, mark: null },
    reel: { recipes: ['master'] },
  } as unknown as Job;
  const stop = new AbortController();
  const context = { job, signal: stop.signal, progress: () => undefined } as unknown as StageContext;
  const [old, now] = [before, after].map((storage) => (name: string) => path.join(workshopOf(storage, job.id), name)) as [
    (name: string) => string,
    (name: string) => string,
  ];
  mkdirSync(workshopOf(before, job.id), { recursive: true });
  writeFileSync(old('master.mkv.part'), MASTER);
  writeFileSync(old('beside.en.srt.part'), WORDS);
  return { context, from: { id: 'before', name: 'Before', path: before, mark: null }, old, now, stop };
}
const isHere = (now: (name: string) => string) =>
  readFileSync(now('master.mkv.part')).equals(MASTER) && readFileSync(now('beside.en.srt.part')).equals(WORDS);

test('all of it comes along, and then nothing is left of it; stopped before that was noted, it is not looked for in vain', async () => {
  const { context, from, old, now } = storages();
  expect(await bringMaster(context, from, brought)).toBe(true);
  expect([isHere(now), existsSync(old('master.mkv.part'))]).toEqual([true, true]);
  await forgetBrought(context.job, from);
  expect(existsSync(path.dirname(old('')))).toBe(false);
  expect(await bringMaster(context, from, brought)).toBe(true);
  expect(isHere(now)).toBe(true);
});

test('stopped in the middle, it is copied from the beginning', async () => {
  const { context, from, now, stop } = storages();
  const stopping = {
    ...context,
    progress: () => {
      stop.abort();
    },
  };
  await expect(bringMaster(stopping, from, brought)).rejects.toThrow();
  const again = { ...context, signal: new AbortController().signal };
  writeFileSync(now('master.mkv.part'), MASTER.subarray(0, 1000));
  expect(await bringMaster(again, from, brought)).toBe(true);
  expect(isHere(now)).toBe(true);
});

test('what is gone, shorter, or no longer what it was does not come along', async () => {
  const gone = storages();
  rmSync(gone.old('master.mkv.part'));
  expect(await bringMaster(gone.context, gone.from, brought)).toBe(false);
  // Nor does half a copy pass for one.
  writeFileSync(gone.now('master.mkv.part'), MASTER.subarray(1));
  expect(await bringMaster(gone.context, gone.from, brought)).toBe(false);
  const shorter = storages();
  writeFileSync(shorter.old('master.mkv.part'), MASTER.subarray(1));
  expect(await bringMaster(shorter.context, shorter.from, brought)).toBe(false);
  const other = storages();
  writeFileSync(other.old('beside.en.srt.part'), WORDS.toString().replace('Low', 'Mid'));
  expect(await bringMaster(other.context, other.from, brought)).toBe(false);
});
