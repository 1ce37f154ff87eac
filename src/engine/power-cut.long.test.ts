import { spawnSync } from 'node:child_process';
import { copyFileSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync } from 'node:fs';
import path from 'node:path';
import { SidecarSchema, type SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { temporaryFolder, titleOf } from '@/test-support/discs';
import { digestLike } from '@/test-support/digest';
import { TestEngine } from '@/test-support/engine';

/**
 * A power cut: data folder and library stand on a file system in a file, and that file is copied while a job comes to its end. A copy has what was
 * flushed, and nothing of what only the running system knows. Each is mounted in the place of the first, and the engine started on it.
 */
const IMAGE_MB = 40;
const room = temporaryFolder();
const run = (program: string, ...args: readonly string[]) => spawnSync(program, args, { encoding: 'utf8' });

function mountable(): boolean {
  const [image, at] = [path.join(room, 'try.img'), path.join(room, 'try')];
  mkdirSync(at);
  run('truncate', '-s', '8M', image);
  const done = run('mkfs.ext4', '-q', '-F', image).status === 0 && run('mount', '-o', 'loop', image, at).status === 0;
  if (done) run('umount', at);
  rmSync(image, { force: true });
  return done;
}
const mayMount = mountable();
if (!mayMount) console.warn('NOT TESTED HERE: power cuts (no file system in a file can be mounted on this machine)');

const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const reel = (reading: Reading) => ({ ...wholeTitleReel(titleOf(reading, 2), 'Cut off'), recipes: ['master' as const] });

/** Whatever has a finished name is whole, and says so itself. */
function expectNoWrecks(library: string): void {
  for (const name of readdirSync(library).filter((n) => !n.startsWith('.'))) {
    const file = path.join(library, name);
    expect([name, statSync(file).size > 0]).toEqual([name, true]);
    if (name.endsWith('.json')) expect(SidecarSchema.safeParse(JSON.parse(readFileSync(file, 'utf8'))).success).toBe(true);
    else {
      const { digest } = SidecarSchema.parse(JSON.parse(readFileSync(`${file}.json`, 'utf8'))).file;
      expect(digestLike(digest, readFileSync(file))).toBe(digest);
    }
  }
}

(mayMount ? test : test.skip)(
  'a power cut at any moment of a job’s end leaves nothing that only looks finished, and the job comes to its end afterwards',
  async () => {
    const [disk, at] = [path.join(room, 'disk.img'), path.join(room, 'mounted')];
    mkdirSync(at);
    run('truncate', '-s', `${IMAGE_MB}M`, disk);
    run('mkfs.ext4', '-q', '-F', disk);
    expect(run('mount', '-o', 'loop', disk, at).status).toBe(0);
    /** What had been said to be done before the copy was made. */
    const copies: { readonly file: string; readonly saidDone: boolean }[] = [];
    const engine = new TestEngine([], [], at);
    try {
      run('sync', '-f', at); // what whoever starts the application writes anew at every start
      await engine.start();
      const { jobId } = await engine.submit(image, reel);
      let ended = 0;
      while (ended < 3) {
        const { jobs } = await engine.call('state');
        const job = jobs.find((j) => j.id === jobId);
        const file = path.join(room, `cut-${copies.length}.img`);
        copyFileSync(disk, file);
        // Copied in one moment only where it is still the same afterwards: else the end of it is younger than its beginning, as no power cut leaves it.
        if (run('cmp', '-s', disk, file).status === 0) copies.push({ file, saidDone: job?.state === 'done' });
        else rmSync(file);
        ended = copies.filter((c) => c.saidDone).length;
      }
      await engine.stop('SIGKILL');
      run('umount', '-l', at);
      // The last ones hold the end; of those before, some.
      const chosen = [...copies.slice(0, -10).filter((_, i) => i % 12 === 5), ...copies.slice(-10)];
      for (const { file, saidDone } of chosen) {
        run('e2fsck', '-p', file);
        expect(run('mount', '-o', 'loop', file, at).status).toBe(0);
        try {
          expectNoWrecks(engine.library);
          const placed = ['Cut off.mkv', 'Cut off.mkv.json'];
          if (saidDone) expect(readdirSync(engine.library).sort()).toEqual(['.careful-vault', ...placed]);
          await engine.start();
          // It was taken in before the first copy was made.
          const { jobs } = await engine.call('state');
          expect(jobs.map((j) => [j.id, saidDone ? j.state : ''])).toEqual([[jobId, saidDone ? 'done' : '']]);
          expect(await engine.jobUntil(jobId, (j) => ['done', 'failed', 'cancelled'].includes(j.state))).toMatchObject({ state: 'done' });
          expect(
            readdirSync(engine.library)
              .filter((n) => !n.startsWith('.'))
              .sort(),
          ).toEqual(placed);
          expectNoWrecks(engine.library);
        } finally {
          await engine.stop('SIGKILL');
          run('umount', '-l', at);
        }
      }
      expect(chosen.length).toBeGreaterThan(5);
    } finally {
      await engine.stop('SIGKILL');
      run('umount', '-l', at);
      for (const { file } of copies) rmSync(file, { force: true });
    }
  },
  240_000,
);
