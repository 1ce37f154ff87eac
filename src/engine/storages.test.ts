import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { QUAY, titleOf } from '@/test-support/discs';
import { Refused, TestEngine } from '@/test-support/engine';
import { Watched } from './watched';

/** A library that is a file system of its own, as shares and disks are: unmounted and mounted while jobs run. */
const run = (program: string, ...args: readonly string[]) => spawnSync(program, args, { encoding: 'utf8' });
const mayMount = run('sh', '-c', 'd=$(mktemp -d) && mount -t tmpfs tmpfs "$d" && umount "$d" && rmdir "$d"').status === 0;
if (!mayMount) console.warn('NOT TESTED HERE: a library that is unmounted (no file system can be mounted on this machine)');

const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const reel = (name: string) => (reading: Reading) => ({ ...wholeTitleReel(titleOf(reading, 2), name), recipes: ['master' as const] });
const refusal = (work: Promise<unknown>): Promise<string> =>
  work.then(
    () => 'accepted',
    (error: unknown) => (error as Refused).problem.code,
  );

test('what does not answer is away, what comes back is there again, and only one look at a time waits for it', async () => {
  const waiting: ((there: boolean) => void)[] = [];
  let looks = 0;
  const watched = new Watched(
    () => {
      looks++;
      return new Promise<boolean>((resolve) => waiting.push(resolve));
    },
    false,
    5,
  );
  expect(await Promise.all([watched.look(), watched.look()])).toEqual([false, false]);
  expect(await watched.look()).toBe(false);
  expect(looks).toBe(1);
  waiting[0]?.(true);
  await new Promise((resolve) => setTimeout(resolve, 1));
  const next = watched.look();
  waiting[1]?.(true);
  expect(await next).toBe(true);
  expect(watched.last).toBe(true);
});

describe('a storage', () => {
  const engine = new TestEngine([{ id: 'slow', image: QUAY, gated: true }]);
  const library = path.join(engine.folder, 'asked');
  const stateOf = async () => (await engine.call('state')).storages.find((s) => s.id === 'asked')?.identity;
  const until = (identity: string) => engine.until(async () => ((await stateOf()) === identity ? true : null));
  const config = path.join(engine.folder, 'config.json');
  mkdirSync(library);
  const written = JSON.parse(readFileSync(config, 'utf8')) as { storages: unknown[] };
  written.storages.push({ id: 'asked', name: 'Asked', path: library });
  writeFileSync(config, JSON.stringify(written));
  beforeAll(() => engine.start());
  afterAll(async () => {
    await engine.stop('SIGKILL');
    run('umount', '-l', library);
  });

  test('is a library once somebody has said so, and not written to before', async () => {
    expect(await stateOf()).toBe('new');
    expect(await refusal(engine.submit(image, reel('Too early'), 'asked'))).toBe('storage-new');
    expect(readdirSync(library)).toEqual([]);
    await engine.call('takeStorage', { id: 'asked' });
    expect(await stateOf()).toBe('known');
    expect(readdirSync(path.join(library, '.careful-vault'))).toEqual(['storage.json']);
    await engine.stop('SIGKILL');
    await engine.start();
    expect(await stateOf()).toBe('known');
    expect((await engine.call('state')).jobs).toEqual([]);
  });

  (mayMount ? test : test.skip)(
    'whose place something else has taken is not written to: jobs wait, and go on when it is back',
    async () => {
      const [disk, other] = [path.join(engine.folder, 'disk'), path.join(engine.folder, 'other')];
      // The library becomes a mounted one: what is below its mount point is not it.
      rmSync(path.join(library, '.careful-vault'), { recursive: true });
      for (const folder of [disk, other]) {
        mkdirSync(folder);
        run('mount', '-t', 'tmpfs', '-o', 'size=40m', 'tmpfs', folder);
      }
      try {
        run('mount', '--bind', disk, library);
        await until('other'); // it is not what was taken before
        await engine.call('takeStorage', { id: 'asked' });
        await engine.call('insert', { id: 'tray', body: { disc: 'slow' } });

        // Away while a master is written: the job comes to no end but waits.
        const { jobId } = await engine.submit(tray, reel('Away'), 'asked');
        await engine.atWork(jobId);
        run('umount', '-l', library);
        const waiting = await engine.jobUntil(jobId, (job) => job.state === 'waiting' && job.problem !== null);
        expect(waiting.problem).toMatchObject({ code: 'storage-missing' });
        expect(readdirSync(library)).toEqual([]);

        // Another disk in its place, which is a library too, but not this one.
        mkdirSync(path.join(other, '.careful-vault'));
        const foreign = JSON.stringify({ version: 1, id: '11111111-1111-4111-8111-111111111111', madeAt: '2026-01-01' });
        writeFileSync(path.join(other, '.careful-vault', 'storage.json'), foreign);
        run('mount', '--bind', other, library);
        await until('other');
        expect(await refusal(engine.submit(image, reel('Elsewhere'), 'asked'))).toBe('storage-missing');
        await new Promise((resolve) => setTimeout(resolve, 1500));
        expect(readdirSync(other, { recursive: true }).sort()).toEqual(['.careful-vault', '.careful-vault/storage.json']);
        expect(await engine.job(jobId)).toMatchObject({ state: 'waiting', problem: { code: 'storage-missing' } });

        // Also after a restart; and when the right one is back, nobody need do anything.
        await engine.stop('SIGKILL');
        await engine.start();
        expect(await engine.job(jobId)).toMatchObject({ state: 'waiting', problem: { code: 'storage-missing' } });
        run('umount', '-l', library);
        run('mount', '--bind', disk, library);
        expect(await engine.jobUntil(jobId, (job) => ['done', 'failed'].includes(job.state))).toMatchObject({
          state: 'done',
          problem: null,
          attempts: 1,
        });
        expect(readdirSync(disk).sort()).toEqual(['.careful-vault', 'Away.mkv', 'Away.mkv.json']);
        expect(readdirSync(path.join(disk, '.careful-vault'))).toEqual(['storage.json']);
        run('umount', '-l', library);
        expect(readdirSync(library)).toEqual([]);
      } finally {
        for (const folder of [library, disk, other]) run('umount', '-l', folder);
      }
    },
  );
});
