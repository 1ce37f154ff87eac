import { existsSync, mkdirSync, readFileSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { byRank, type Arrange, type EngineEvent, type Job, type JobState } from '@/contract';
import { wholeTitleReel } from '@/core/reels';
import { JobFolder, parseEvent } from '@/node/job-folder';
import { identify, type ProcessId } from '@/node/process-id';
import { markStorage } from '@/node/storage-mark';
import { temporaryFolder } from '@/test-support/discs';
import { seeded, type Random } from '@/test-support/random';
import { sketchReading } from '@/test-support/readings';
import { Jobs } from './jobs';
import { movedBefore } from './queue-order';
import type { Runners } from './runners';

/**
 * Random histories of a queue, with restarts at every point: what is shown before one is shown after it, whatever was decided by the
 * user, the runner or the engine. The runners are played: what one would write into its folder, the history writes.
 */

const HISTORIES = 20;
const STEPS = 40;
const reading = sketchReading([{ parts: ['a:10'] }]);
const [title] = reading.titles;
if (!title) throw new Error('no title');
const film = wholeTitleReel(title, 'Film');
const self = identify(process.pid);

/** Runners that live for as long as the history says. */
class PlayedRunners implements Runners {
  readonly living = new Map<string, () => void>();
  readonly wrong: string[] = [];
  launch(folder: string, _: boolean, ended: () => void): ProcessId | null {
    // Nothing is begun that is to stand still, or to wait for its time.
    let [paused, startAt]: [boolean, string | null] = [false, null];
    for (const line of existsSync(path.join(folder, 'events.ndjson'))
      ? readFileSync(path.join(folder, 'events.ndjson'), 'utf8').split('\n')
      : []) {
      const event = line === '' ? null : parseEvent(line);
      if (event?.type === 'paused' || event?.type === 'resumed') paused = event.type === 'paused';
      if (event?.type === 'timed') ({ startAt } = event);
      if (event && ['cancelled', 'failed', 'finished', 'retried'].includes(event.type)) [paused, startAt] = [false, null];
    }
    if (paused || (startAt !== null && Date.parse(startAt) > Date.now())) this.wrong.push(folder);
    this.living.set(folder, ended);
    writeFileSync(path.join(folder, 'runner.json'), JSON.stringify(self));
    new JobFolder(folder).emit({ type: 'started', pid: 1 });
    return self;
  }
  isAtWork(_: ProcessId, folder: string): boolean {
    return this.living.has(folder);
  }
  pause(): void {
    // Nothing of it moves by itself.
  }
  goOn(): void {
    // Nothing of it moves by itself.
  }
  stop({ pid }: ProcessId): void {
    if (pid !== self?.pid) throw new Error('a process that is none of the runners');
    // Heard, but not yet done: the history decides when it ends.
  }
  /** Their engine is gone: nobody hears how they end. */
  orphan(): void {
    for (const folder of this.living.keys()) this.living.set(folder, () => undefined);
  }
  /** It ends, having said so or not; an engine that has gone since does not hear of it. */
  end(folder: string, heard: boolean): void {
    const ended = this.living.get(folder);
    this.living.delete(folder);
    if (heard) ended?.();
  }
}

const problem = { code: 'not-whole', message: 'm', whatToDo: 'w', where: null } as const;
const comparable = (states: readonly JobState[]) =>
  [...states].sort((a, b) => a.id.localeCompare(b.id)).map(({ rate, ...state }) => ({ ...state, hasRate: rate !== null }));

async function play(seed: number): Promise<number> {
  const random = seeded(seed);
  const dataFolder = temporaryFolder();
  const library = temporaryFolder();
  const { id: mark } = await markStorage(library);
  const root = path.join(dataFolder, 'jobs');
  mkdirSync(root);
  const runners = new PlayedRunners();
  let storageAway = false;
  const seen: EngineEvent[] = [];
  const open = () =>
    new Jobs({
      config: { dataFolder, storages: [{ id: 's', name: 'S', path: library, taken: true }] },
      runners,
      drives: { use: () => ({ spunUp: true, done: () => undefined }), isUsed: () => false, lacks: () => false, content: () => '' },
      storages: {
        known: (id) => Promise.resolve({ id, name: 'S', path: library, taken: true, mark }),
        isAway: () => storageAway,
        hasRoom: () => true,
      },
      hub: { send: (event) => seen.push(event) },
      finished: () => undefined,
    });
  let jobs = open();
  await jobs.start();
  let restarts = 0;
  let named = 0;
  const folderOf = (id: string) => path.join(root, id);
  /** What the engine shows is what its pages were told, and what one that starts now would show. */
  const expectTold = async () => {
    await settled(jobs);
    const now = comparable(jobs.states());
    const told = new Map<string, JobState>();
    for (const event of seen) {
      if (event.type === 'job') told.set(event.job.id, event.job);
      if (event.type === 'job-gone') told.delete(event.id);
    }
    expect(comparable([...told.values()])).toEqual(now);
    const other = open();
    await other.read();
    expect(comparable(other.states())).toEqual(now);
  };
  const retried = new Map<string, number>();
  for (let step = 0; step < STEPS; step++) {
    const states = jobs.states();
    const living = states.filter((s) => runners.living.has(folderOf(s.id)));
    const chosen = states.length > 0 ? random.pick(states) : null;
    const working = living.length > 0 ? random.pick(living) : null;
    switch (random.int(15)) {
      case 0:
      case 1: {
        const reel = {
          ...film,
          name: `Film ${++named}`,
          recipes: random.pick([['master'], ['master', 'access']] as Job['reel']['recipes'][]),
        };
        await jobs.submit(
          { reading, reel, copies: [], storage: 's', folder: '', places: [] },
          { kind: 'drive', path: '/x', label: 'x', drive: `d${random.int(2)}` },
        );
        break;
      }
      case 2:
        if (chosen) await jobs.cancel(chosen.id);
        break;
      case 3:
        if (chosen) {
          const was = chosen.state;
          await jobs.retry(chosen.id, random.int(2) === 0);
          if (was === 'failed' || was === 'cancelled') retried.set(chosen.id, (retried.get(chosen.id) ?? 0) + 1);
        }
        break;
      case 4:
        if (chosen && ['done', 'failed', 'cancelled'].includes(chosen.state)) await jobs.forget(chosen.id);
        break;
      case 5:
        storageAway = !storageAway;
        break;
      case 7:
      case 8:
      case 9: {
        const some = states.filter(() => random.int(3) === 0).map((s) => s.id);
        if (!chosen || some.length === 0) break;
        const later = new Date(Date.now() + random.pick([-1e6, 1e8])).toISOString();
        const decision = random.pick<Arrange['decision']>([
          { do: 'pause' },
          { do: 'resume' },
          { do: 'move', before: random.pick([chosen.id, null]) },
          { do: 'time', startAt: random.pick([later, null]) },
        ]);
        const { done, refused } = await jobs.arrange({ jobs: some, decision });
        expect(done + refused.length).toBe(some.length);
        break;
      }
      case 6: // the engine is killed, and another started: sometimes a runner ends in between
        jobs.stop();
        runners.orphan();
        if (working && random.int(2) === 0) runners.end(folderOf(working.id), false);
        jobs = open();
        await jobs.start();
        seen.push(...jobs.states().map((job) => ({ type: 'job', job }) as const)); // pages load anew when an engine starts
        restarts++;
        break;
      default:
        if (working) act(new JobFolder(folderOf(working.id)), runners, random);
    }
    await expectTold();
  }
  jobs.stop();
  expect(runners.wrong).toEqual([]);
  // Every job that is on disk is shown, and the other way round.
  expect(
    jobs
      .states()
      .map((s) => s.id)
      .sort(),
  ).toEqual(readdirSync(root).sort());
  // A retry that no event tells of would be one that a restart takes back.
  for (const [id, times] of retried)
    if (readdirSync(root).includes(id)) {
      const { events: log } = await jobs.log(id);
      expect(log.filter((e) => e.type === 'retried')).toHaveLength(times);
    }
  return restarts;
}

/** Something that a runner does. */
function act(folder: JobFolder, runners: PlayedRunners, random: Random): void {
  const stage = random.pick(['master', 'master proof', 'placing'] as const);
  const isAsked = folder.standing === 'cancel-asked';
  switch (random.int(9)) {
    case 0:
      folder.emit({ type: 'stage', stage });
      return;
    case 1:
      folder.emit({ type: 'found', places: random.int(9), damaged: 1, stretches: [] });
      return;
    case 2:
      folder.emit({ type: 'finished', files: ['f'] });
      break;
    case 3:
      folder.emit({ type: 'failed', problem });
      break;
    case 4:
      folder.emit({ type: 'parted' });
      break;
    case 5:
      folder.emit({ type: 'held', problem: { ...problem, code: 'storage-missing' } });
      break;
    case 6:
      if (isAsked) folder.emit({ type: 'cancelled' });
      break; // or without a word
    default:
      folder.emit({ type: 'progress', stage, done: random.int(100), total: 100, unit: 'bytes' });
      return;
  }
  runners.end(folder.path, true);
}

/** Until three looks at the queue find the same: what one begins, the next one hears of. */
async function settled(jobs: Jobs): Promise<void> {
  let before = '';
  for (let same = 0, looks = 0; same < 3; looks++) {
    if (looks > 500) throw new Error(`the queue does not come to rest: ${before}`);
    await jobs.look();
    const now = JSON.stringify(jobs.states());
    same = now === before ? same + 1 : 0;
    before = now;
  }
}

test('what the queue shows follows from its events alone: random histories, restarted at every step', async () => {
  let restarts = 0;
  for (let seed = 1; seed <= HISTORIES; seed++)
    restarts += await play(seed).catch((error: unknown) => {
      throw new Error(`history ${seed}`, { cause: error });
    });
  expect(restarts).toBeGreaterThan(HISTORIES);
}, 120_000);

test('a runner that does not stop when it is asked to is killed, and a job is not kept waiting by one that can not even be killed', async () => {
  const dataFolder = temporaryFolder();
  const library = temporaryFolder();
  const { id: mark } = await markStorage(library);
  const folder = path.join(dataFolder, 'jobs', 'job-of-old');
  mkdirSync(folder, { recursive: true });
  const order = { version: 2, id: 'job-of-old', createdAt: '', reel: film, reading, folder: '', fileName: 'Film', soundFiles: [] };
  const source = { kind: 'image', path: '/x', label: 'x' };
  writeFileSync(path.join(folder, 'job.json'), JSON.stringify({ ...order, source, storage: { id: 's', name: 'S', path: library, mark } }));
  const longAgo = new Date(Date.now() - 60_000).toISOString();
  const lines = [{ type: 'started', pid: 1 }, { type: 'stage', stage: 'master' }, { type: 'cancel-asked' }].map(
    (e) => `${JSON.stringify({ ...e, seq: 1, at: longAgo })}\n`,
  );
  writeFileSync(path.join(folder, 'events.ndjson'), lines.join(''));
  writeFileSync(path.join(folder, 'runner.json'), JSON.stringify(self));
  const stopped: boolean[] = [];
  const jobs = new Jobs({
    config: { dataFolder, storages: [] },
    runners: {
      ...{ launch: () => null, isAtWork: () => true, stop: (_, hard = false) => stopped.push(hard) },
      ...{ pause: () => undefined, goOn: () => undefined },
    },
    drives: { use: () => ({ spunUp: true, done: () => undefined }), isUsed: () => false, lacks: () => false, content: () => '' },
    storages: { known: () => Promise.reject(new Error('none')), isAway: () => false, hasRoom: () => true },
    hub: { send: () => undefined },
    finished: () => undefined,
  });
  await jobs.read();
  expect(jobs.states().map((s) => s.state)).toEqual(['running']);
  await jobs.look();
  expect(stopped).toEqual([true]);
  expect(jobs.states().map((s) => s.state)).toEqual(['cancelled']);
});

test('moved jobs stand before the one they were put before, in the order they had; all others stay as they were', () => {
  const random = seeded(5);
  for (let round = 0; round < 300; round++) {
    // Ranks that collide, or have no room between them, as they do after many moves.
    const waiting = Array.from({ length: 1 + random.int(12) }, (_, i) => ({
      id: `j${i}`,
      rank: random.pick([5, 5 + i * 1e-4, i * 1000, random.int(20)]),
    }));
    const order = [...waiting].sort(byRank).map((j) => j.id);
    const moved = new Set(order.filter(() => random.int(3) === 0));
    const before = random.pick([...order, null, 'gone']);
    const ranks = movedBefore(waiting, moved, before);
    const after = waiting
      .map((j) => ({ ...j, rank: ranks.get(j.id) ?? j.rank }))
      .sort(byRank)
      .map((j) => j.id);
    const rest = (ids: readonly string[]) => ids.filter((id) => !moved.has(id));
    expect(rest(after)).toEqual(rest(order));
    expect(after.filter((id) => moved.has(id))).toEqual(order.filter((id) => moved.has(id)));
    const at = before === null ? -1 : order.indexOf(before);
    const anchor = at < 0 ? undefined : order.slice(at).find((id) => !moved.has(id));
    const group = [...moved].map((id) => after.indexOf(id));
    if (moved.size > 0) expect([Math.max(...group) - Math.min(...group) + 1, after[Math.max(...group) + 1]]).toEqual([moved.size, anchor]);
  }
});
