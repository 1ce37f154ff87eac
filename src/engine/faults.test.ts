import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { isOver, type JobState, type Problem, type SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { wholeTitleReel } from '@/core/reels';
import { LOCKS, QUAY, titleOf } from '@/test-support/discs';
import { Refused, TestEngine } from '@/test-support/engine';

/**
 * The table of what goes wrong outside the discs: what is said, where it is said, and the one thing to do. Each row is provoked. Others
 * stand where their machinery is: a full data folder (full-data), a lost mount (storages), torn orders (engine, upgrade), failing disks (soak).
 */
const run = (program: string, ...args: readonly string[]) => spawnSync(program, args).status === 0;
const mayMount = run('sh', '-c', 'd=$(mktemp -d) && mount -t tmpfs tmpfs "$d" && umount "$d" && rmdir "$d"');

const tray: SourceRef = { kind: 'drive', drive: 'tray' };
const quay: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const loose = (name: string): SourceRef => ({ kind: 'place', root: 'sounds', path: name });
const reel = (name: string) => (reading: Reading) => ({ ...wholeTitleReel(titleOf(reading, 2), name), recipes: ['master' as const] });

const engine = new TestEngine([
  { id: 'slow', image: QUAY, gated: true },
  { id: 'scratched', image: QUAY, scratches: [{ sector: 2500, sectors: 3 }] },
  { id: 'other', image: LOCKS },
]);
const config = path.join(engine.folder, 'config.json');
const mounts = mkdtempSync(path.join(tmpdir(), 'careful-vault-faults-'));
const place = (name: string) => path.join(mounts, name);
beforeAll(async () => {
  const written = JSON.parse(readFileSync(config, 'utf8')) as { storages: unknown[] };
  for (const name of ['small', 'sealed', 'asked']) mkdirSync(place(name));
  if (mayMount) {
    run('mount', '-t', 'tmpfs', '-o', 'size=13m', 'tmpfs', place('small'));
    run('mount', '-t', 'tmpfs', 'tmpfs', place('sealed'));
  }
  for (const name of ['small', 'sealed']) written.storages.push({ id: name, name, path: place(name), taken: true });
  written.storages.push({ id: 'asked', name: 'asked', path: place('asked') }, { id: 'gone', name: 'gone', path: place('gone') });
  writeFileSync(config, JSON.stringify(written));
  await engine.start();
  if (mayMount) run('mount', '-o', 'remount,ro', place('sealed'));
});
afterAll(async () => {
  await engine.stop('SIGKILL');
  for (const name of ['small', 'sealed']) run('umount', '-l', place(name));
  rmSync(mounts, { recursive: true, force: true });
});

const refused = async (work: Promise<unknown>): Promise<Problem> => {
  const error = await work.then(
    () => null,
    (e: unknown) => e,
  );
  if (!(error instanceof Refused)) throw new Error(`expected a refusal, got ${String(error)}`);
  return error.problem;
};
/** It is over, or waits for what is in its way. */
const over = (job: JobState) => isOver(job) || (job.state === 'waiting' && job.problem !== null);
const inJob = async (submitted: Promise<{ jobId: string }>): Promise<Problem> => {
  const { jobId } = await submitted;
  const { problem } = await engine.jobUntil(jobId, over);
  if (!problem) throw new Error('nothing went wrong');
  await engine.call('cancelJob', { id: jobId }); // what waits would go on in the next row
  await engine.jobUntil(jobId, isOver);
  return problem;
};
const inReading = async (source: SourceRef): Promise<Problem> => {
  const { task } = await engine.read(source);
  if (!task.problem) throw new Error('it was read');
  return task.problem;
};
const insert = async (disc: string) => {
  await engine.until(async () => ((await engine.call('state')).drives[0]?.state !== 'reading' ? true : null));
  await engine.call('insert', { id: 'tray', body: { disc } });
};
const planned = async (source: SourceRef, name: string) => {
  const { reading } = await engine.read(source);
  if (!reading) throw new Error('nothing was read');
  return () =>
    engine.call('submitJob', {
      body: { source, fingerprint: reading.fingerprint, reading, reel: reel(name)(reading), storage: 'library', folder: '' },
    });
};

interface Row {
  readonly fault: string;
  readonly mounted?: boolean;
  readonly provoke: () => Promise<Problem>;
  readonly code: string;
  readonly says: RegExp;
  readonly todo: RegExp;
}
const ROWS: readonly Row[] = [
  {
    fault: 'a library that nobody has taken',
    provoke: () => refused(engine.submit(quay, reel('A'), 'asked')),
    code: 'storage-new',
    says: /“asked”/,
    todo: /On the Shelf/,
  },
  {
    fault: 'a library that is not there',
    provoke: () => refused(engine.submit(quay, reel('A'), 'gone')),
    code: 'storage-missing',
    says: /“gone” is not there/,
    todo: /Connect the library storage/,
  },
  {
    fault: 'a library that can not be written',
    mounted: true,
    provoke: () => refused(engine.submit(quay, reel('A'), 'sealed')),
    code: 'storage-read-only',
    says: /“sealed” can not be written/,
    todo: /writable/,
  },
  {
    fault: 'a library without room for it',
    mounted: true,
    provoke: async () => {
      writeFileSync(path.join(place('small'), 'filler'), Buffer.alloc(10 << 20));
      return refused(engine.submit(quay, reel('A'), 'small'));
    },
    code: 'storage-full',
    says: /MB free, about \d+ MB are needed/,
    todo: /Free some space in the library/,
  },
  {
    fault: 'a library that fills up while it is written to',
    mounted: true,
    provoke: async () => {
      rmSync(path.join(place('small'), 'filler'), { force: true });
      await insert('slow');
      const submitted = engine.submit(tray, reel('Filled'), 'small');
      const { jobId } = await submitted;
      await engine.atWork(jobId);
      spawnSync('dd', ['if=/dev/zero', `of=${path.join(place('small'), 'filler')}`, 'bs=64k']);
      return inJob(submitted);
    },
    code: 'storage-full',
    says: /MB free, about \d+ MB are needed/,
    todo: /Free some space in the library/,
  },
  {
    fault: 'a folder of the library that is a file',
    provoke: () => {
      writeFileSync(path.join(engine.library, 'Films'), 'x');
      return refused(engine.submit(quay, reel('A'), 'library', 'Films/1990s'));
    },
    code: 'name-taken',
    says: /“Films” is in the library and no folder/,
    todo: /Choose another name/,
  },
  {
    fault: 'a folder of the library that is another’s',
    mounted: true,
    provoke: () => {
      const folder = path.join(engine.library, 'Another’s');
      mkdirSync(folder);
      run('mount', '-t', 'tmpfs', '-o', 'ro', 'tmpfs', folder);
      return refused(engine.submit(quay, reel('A'), 'library', 'Another’s')).finally(() => run('umount', folder));
    },
    code: 'storage-read-only',
    says: /The folder “Another’s”/,
    todo: /writable/,
  },
  {
    fault: 'a name that the library has',
    provoke: () => {
      writeFileSync(path.join(engine.library, 'Taken.mkv'), 'x');
      return refused(engine.submit(quay, reel('Taken')));
    },
    code: 'name-taken',
    says: /Taken\.mkv/,
    todo: /The file that is there was not touched/,
  },
  {
    fault: 'an image that is gone when its job begins',
    provoke: async () => {
      writeFileSync(path.join(engine.sounds, 'GOES.iso'), readFileSync(QUAY));
      const submit = await planned(loose('GOES.iso'), 'Goes');
      await insert('slow');
      const { jobId: before } = await engine.submit(tray, reel('In the way'));
      await engine.atWork(before);
      const image = await submit();
      // A job of a drive does not hold up one of an image: it is gone for both.
      rmSync(path.join(engine.sounds, 'GOES.iso'));
      await engine.call('cancelJob', { id: before });
      const { problem } = await engine.jobUntil(image.jobId, over);
      await engine.call('cancelJob', { id: image.jobId });
      await engine.jobUntil(before, isOver);
      return problem ?? refused(engine.submit(loose('GOES.iso'), reel('Goes again')));
    },
    code: 'source-missing',
    says: /“GOES.iso” is not there/,
    todo: /what the disc image or folder stands on/,
  },
  {
    fault: 'an image that was cut short since it was read',
    provoke: async () => {
      const file = path.join(engine.sounds, 'SHORT.iso');
      writeFileSync(file, readFileSync(QUAY));
      const submit = await planned(loose('SHORT.iso'), 'Short');
      truncateSync(file, 4_000_000);
      return inJob(submit());
    },
    code: 'ended-early',
    says: /SHORT\.iso/,
    todo: /Copy the image again/,
  },
  {
    fault: 'a scratch on the disc',
    provoke: async () => {
      await insert('scratched');
      return inJob(engine.submit(tray, reel('Scratched')));
    },
    code: 'read-failed',
    says: /Sector 2500/,
    todo: /[Cc]lean/,
  },
  {
    fault: 'another disc in the drive',
    provoke: async () => {
      await insert('slow');
      const submit = await planned(tray, 'Another disc');
      await insert('other');
      return inJob(submit());
    },
    code: 'other-disc',
    says: /is there, .* is wanted/,
    todo: /./,
  },
  {
    fault: 'a drive with nothing in it',
    provoke: async () => {
      await engine.until(async () => ((await engine.call('state')).drives[0]?.state !== 'reading' ? true : null));
      await engine.call('eject', { id: 'tray' });
      return refused(engine.call('startReading', { body: { source: tray } }));
    },
    code: 'drive-empty',
    says: /./,
    todo: /Insert a disc/,
  },
  {
    fault: 'a file that is no disc',
    provoke: () => {
      writeFileSync(path.join(engine.sounds, 'NOISE.iso'), Buffer.alloc(500_000, 7));
      return inReading(loose('NOISE.iso'));
    },
    code: 'not-a-disc',
    says: /./,
    todo: /Choose/,
  },
  {
    fault: 'an empty image',
    provoke: () => {
      writeFileSync(path.join(engine.sounds, 'EMPTY.iso'), '');
      return inReading(loose('EMPTY.iso'));
    },
    code: 'not-a-disc',
    says: /./,
    todo: /Choose/,
  },
  {
    fault: 'a link that leads out of its place',
    provoke: () => {
      symlinkSync('/etc/hostname', path.join(engine.sounds, 'OUT.iso'));
      return refused(engine.call('startReading', { body: { source: loose('OUT.iso') } }));
    },
    code: 'not-known',
    says: /“OUT.iso”/,
    todo: /./,
  },
  {
    fault: 'an encoder that has no room',
    mounted: true,
    provoke: async () => {
      rmSync(path.join(place('small'), 'filler'), { force: true });
      await insert('slow');
      engine.holdEncoders();
      const submitted = engine.submit(tray, (reading) => ({ ...reel('Encoded')(reading), recipes: ['access'] }), 'small');
      const { jobId } = await submitted;
      engine.release();
      await engine.encoding(jobId);
      spawnSync('dd', ['if=/dev/zero', `of=${path.join(place('small'), 'filler')}`, 'bs=4k']);
      return inJob(submitted);
    },
    code: 'storage-full',
    says: /./,
    todo: /Free some space in the library/,
  },
];

describe.each(ROWS.map((r) => [r.fault, r] as const))('%s', (_, { mounted, provoke, code, says, todo }) => {
  (mounted && !mayMount ? test.skip : test)('is said with its place and one thing to do', async () => {
    const problem = await provoke();
    expect(problem).toMatchObject({
      code,
      message: expect.stringMatching(says) as string,
      whatToDo: expect.stringMatching(todo) as string,
    });
    // Places on this machine are no business of a page.
    expect(JSON.stringify(problem)).not.toMatch(/"[^"]*\/(tmp|work|etc|dev)\//);
  });
});
