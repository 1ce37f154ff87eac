import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import path from 'node:path';
import type { JobState, SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { QUAY, titleOf } from '@/test-support/discs';
import { Refused, TestEngine } from '@/test-support/engine';

/** The data folder on a file system of its own, which is filled to its last byte while a job runs. */
const mayMount = spawnSync('sh', ['-c', 'd=$(mktemp -d) && mount -t tmpfs tmpfs "$d" && umount "$d" && rmdir "$d"']).status === 0;
if (!mayMount) console.warn('NOT TESTED HERE: a data folder that is full (no file system can be mounted on this machine)');

const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const reel = (name: string) => (reading: Reading) => ({ ...wholeTitleReel(titleOf(reading, 2), name), recipes: ['master' as const] });

(mayMount ? test : test.skip)(
  'a full data folder: the job waits and says why, an order is refused, nothing is begun again and again',
  async () => {
    const engine = new TestEngine([{ id: 'slow', image: QUAY, gated: true }]);
    const jobs = path.join(engine.folder, 'jobs');
    const filler = path.join(jobs, 'filler');
    mkdirSync(jobs);
    spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=6m', 'tmpfs', jobs]);
    try {
      await engine.start();
      await engine.call('insert', { id: 'tray', body: { disc: 'slow' } });
      const { jobId } = await engine.submit(tray, reel('Full data'));
      await engine.atWork(jobId);
      spawnSync('dd', ['if=/dev/zero', `of=${filler}`, 'bs=4k']);
      const folder = path.join(jobs, jobId);
      const { pid } = JSON.parse(readFileSync(path.join(folder, 'runner.json'), 'utf8')) as { pid: number };
      process.kill(pid, 'SIGKILL');
      const held = await engine.jobUntil(jobId, (job) => job.problem !== null);
      expect(held).toMatchObject({ state: 'interrupted', problem: { code: 'data-full' } });
      expect(held.problem?.whatToDo).toContain('its own data');
      const before = readdirSync(jobs).length;
      const refused = await engine.submit(image, reel('More')).catch((error: unknown) => error);
      expect(refused).toBeInstanceOf(Refused);
      expect((refused as Refused).problem.code).toBe('data-full');
      expect(readdirSync(jobs)).toHaveLength(before);
      await new Promise((resolve) => setTimeout(resolve, 3000));
      expect(readFileSync(path.join(folder, 'events.ndjson'), 'utf8').match(/"type":"started"/g)).toHaveLength(1);
      rmSync(filler);
      expect(await engine.jobUntil(jobId, (job: JobState) => job.state === 'done')).toMatchObject({ problem: null });
    } finally {
      await engine.stop('SIGKILL');
      spawnSync('umount', ['-l', jobs]);
    }
  },
);
