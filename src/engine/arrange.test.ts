import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import type { JobState, SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import type { RecipeId } from '@/core/recipes';
import { wholeTitleReel, type Reel } from '@/core/reels';
import { readProcess } from '@/node/process-id';
import { QUAY } from '@/test-support/discs';
import { complaints } from '@/test-support/ffmpeg';
import { Refused, TestEngine } from '@/test-support/engine';

/** The queue as somebody arranges it, with real runners: that they stand still is asked of the system. */

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };

let engine: TestEngine;
beforeAll(async () => {
  engine = new TestEngine([{ id: 'slow', image: QUAY, gated: true }]);
  await engine.start();
  await engine.call('insert', { id: 'tray', body: { disc: 'slow' } });
});
afterAll(async () => {
  await engine.stop();
});

const reel =
  (name: string, recipes: readonly RecipeId[] = ['master']) =>
  (reading: Reading): Reel => {
    const found = reading.titles.find((t) => t.number === 2);
    if (!found) throw new Error('no such title');
    return { ...wholeTitleReel(found, name), recipes };
  };
const over = (job: JobState) => ['done', 'failed', 'cancelled'].includes(job.state);
const arrange = (jobs: readonly string[], decision: object) => engine.call('arrange', { body: { jobs, decision } });
const hold = (held: boolean) => engine.call('setQueue', { body: { held, encodeLanes: null, background: false } });

/** States of all processes that a job's runner has begun, and its own: field 3 and the group in field 5 of /proc/PID/stat (proc(5)). */
function group(jobId: string): string[] {
  const runner = readProcess(path.join(engine.folder, 'jobs', jobId, 'runner.json'));
  if (!runner) return [];
  return readdirSync('/proc').flatMap((name) => {
    if (!/^\d+$/.test(name)) return [];
    try {
      const text = readFileSync(`/proc/${name}/stat`, 'utf8');
      const [state = '', , pgrp] = text.slice(text.lastIndexOf(')') + 2).split(' ');
      return Number(pgrp) === runner.pid && state !== 'Z' ? [state] : [];
    } catch {
      return [];
    }
  });
}
const stillness = (jobId: string) =>
  engine.found(() => Promise.resolve(group(jobId).length > 0 && group(jobId).every((s) => s === 'T') ? group(jobId).length : null));

test('a job that reads stands still with its drive, over the engine’s death, and goes on to a proven master', async () => {
  const { jobId } = await engine.submit(tray, reel('Paused'));
  await engine.atWork(jobId);
  expect(await arrange([jobId], { do: 'pause' })).toEqual({ done: 1, refused: [] });
  await stillness(jobId);
  const at = (await engine.jobUntil(jobId, (j) => j.paused)).done;
  await expect(engine.call('eject', { id: 'tray' })).rejects.toBeInstanceOf(Refused);
  await engine.stop('SIGKILL');
  await engine.start();
  const after = await engine.jobUntil(jobId, (j) => j.paused);
  expect([after.state, after.done, group(jobId).every((s) => s === 'T')]).toEqual(['running', at, true]);
  await arrange([jobId], { do: 'resume' });
  expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'done', problem: null, attempts: 1, paused: false });
  expect(complaints(path.join(engine.library, 'Paused.mkv'))).toEqual([]);
  const [output] = await engine.outputs();
  expect(output?.sidecar.proof.passed).toBe(true);
});

test('an encoder stands still too; another copy takes its lane; how long it took is not said of one that stood', async () => {
  await engine.call('setQueue', { body: { held: false, encodeLanes: 1, background: true } });
  engine.holdEncoders();
  const first = await engine.submit(image, reel('Copy one', ['access']));
  await engine.encoding(first.jobId);
  await engine.found(() => Promise.resolve(group(first.jobId).length > 1 ? true : null));
  await arrange([first.jobId], { do: 'pause' });
  // The runner and its encoder.
  expect(await stillness(first.jobId)).toBeGreaterThan(1);
  engine.letGo();
  const second = await engine.submit(image, reel('Copy two', ['access']));
  expect(await engine.jobUntil(second.jobId, over)).toMatchObject({ state: 'done' });
  expect((await engine.jobUntil(first.jobId, () => true)).paused).toBe(true);
  await arrange([first.jobId], { do: 'resume' });
  expect(await engine.jobUntil(first.jobId, over)).toMatchObject({ state: 'done' });
  const took = new Map((await engine.outputs()).map((o) => [o.path, o.sidecar.outcome?.tookMs ?? null]));
  expect(took.get('Copy one.mp4')).toBeNull();
  expect(took.get('Copy two.mp4')).toBeGreaterThan(0);
});

test('a job that stands still can be cancelled: nothing of it stays, no process either', async () => {
  const { jobId } = await engine.submit(tray, reel('Never'));
  await engine.atWork(jobId);
  await arrange([jobId], { do: 'pause' });
  await stillness(jobId);
  await arrange([jobId], { do: 'cancel' });
  expect(await engine.jobUntil(jobId, over)).toMatchObject({ state: 'cancelled', paused: false });
  await engine.until(() => Promise.resolve(group(jobId).length === 0 ? true : null));
  expect(readdirSync(engine.library).filter((n) => n.startsWith('Never'))).toEqual([]);
});

test('jobs are begun in the order they were put in, not before their time, and not while nothing new is to be begun', async () => {
  await hold(true);
  const names = ['A', 'B', 'C', 'D', 'E'];
  const ids: string[] = [];
  for (const name of names) ids.push((await engine.submit(image, reel(`Film ${name}`))).jobId);
  const [a = '', b = '', c = '', d = '', e = ''] = ids;
  await arrange([d, c], { do: 'move', before: a }); // c, d, a, b, e: among themselves as they were
  await arrange([b], { do: 'move', before: null }); // c, d, a, e, b
  await arrange([e], { do: 'pause' });
  await arrange([d], { do: 'time', startAt: new Date(Date.now() + 3.6e6).toISOString() });
  // A restart forgets nothing of it.
  await engine.stop('SIGKILL');
  await engine.start();
  expect((await engine.call('state')).queue.held).toBe(true);
  expect((await engine.call('state')).jobs.filter((j) => ids.includes(j.id) && j.state !== 'waiting')).toEqual([]);
  await hold(false);
  for (const id of [c, a, b]) expect(await engine.jobUntil(id, over)).toMatchObject({ state: 'done' });
  const begun = new Map((await engine.call('state')).jobs.map((j) => [j.id, j.startedAt]));
  expect([begun.get(d), begun.get(e)]).toEqual([null, null]);
  expect([c, a, b].map((id) => begun.get(id) ?? '')).toEqual([c, a, b].map((id) => begun.get(id) ?? '').sort());
  await arrange([d], { do: 'time', startAt: new Date(Date.now() - 1000).toISOString() });
  expect(await engine.jobUntil(d, over)).toMatchObject({ state: 'done' });
  expect(await arrange([a, e, 'gone'], { do: 'pause' })).toMatchObject({
    done: 1,
    refused: [
      { id: a, problem: { code: 'bad-request' } },
      { id: 'gone', problem: { code: 'not-known' } },
    ],
  });
  expect(await arrange([a, b, c, d], { do: 'forget' })).toEqual({ done: 4, refused: [] });
  expect((await engine.call('state')).jobs.map((j) => j.id)).not.toContain(a);
});
