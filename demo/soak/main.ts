import { execSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { seeded } from '@/test-support/random';
import { night, report } from './night';
import { recipesAtRandom } from './recipes';
import { Stage, type FaultAt } from './stage';

/**
 * What the nights of an archive hold, done on purpose to a job from its order to its place: killed at calls by which it changes files,
 * killed at random, the power cut at a call, the disk full, failing or read-only from a call on, the library unmounted at a call.
 * Afterwards: nothing lost, nothing that only looks finished, nothing left over, nothing stuck.
 */

const [what = 'faults', size = '200', firstSeed = '1', only = ''] = process.argv.slice(2);
if (what === 'night') {
  process.exit(report(await night(Number(size), seeded(Number(firstSeed)))) ? 0 : 1);
}
if (what === 'recipes') {
  process.exit((await recipesAtRandom(Number(size), seeded(Number(firstSeed)))) ? 0 : 1);
}
if (what !== 'faults') {
  console.error(
    'usage: soak faults [SIZE] [SEED] [ONLY]   (SIZE: random kills, the rest in proportion; ONLY: calls, random, power, errors, unmounted)\n       soak night [JOBS] [SEED]\n       soak recipes [COPIES] [SEED]',
  );
  process.exit(64);
}
const SIZE = Number(size);
const random = seeded(Number(firstSeed));
/** At 200 random kills every call is a point to be killed at; with fewer, some of them. */
const POINTS = SIZE >= 200 ? Infinity : Math.max(4, Math.ceil(SIZE / 2));
const POWER_CUTS = Math.max(2, Math.round((SIZE * 30) / 200));
const ERRORS = Math.max(4, Math.round((SIZE * 40) / 200));

interface Row {
  readonly name: string;
  done: number;
  lost: number;
  wrecks: number;
  stuck: number;
  wrong: number;
  readonly notes: string[];
}
const rows: Row[] = [];
function row(name: string): Row {
  const made = { name, done: 0, lost: 0, wrecks: 0, stuck: 0, wrong: 0, notes: [] };
  rows.push(made);
  return made;
}

/** What was found after one fault, and whether the job comes to its end all the same. */
async function judge(to: Row, stage: Stage, label: string): Promise<void> {
  const wrecks = stage.wrecks();
  to.done++;
  if (wrecks.length > 0) {
    to.wrecks++;
    to.notes.push(`${label}: only looks finished: ${wrecks.join(', ')}`);
  }
  const why = await stage.recover();
  if (why === null) return;
  if (why.startsWith('it does not end')) to.stuck++;
  else to.lost++;
  to.notes.push(`${label}: ${why}`);
}

const root = mkdtempSync(path.join(tmpdir(), 'careful-vault-soak-'));
async function calls(stage: Stage): Promise<number> {
  const report = path.join(root, 'calls');
  await stage.prepare();
  await stage.run({ mode: 'count', at: 0, report });
  return Number(readFileSync(report, 'utf8'));
}

/** Points to be tried: all of them, or so many, spread over the job, each somewhere in its stretch. */
function pointsOf(count: number, most: number): number[] {
  if (count <= most) return Array.from({ length: count }, (_, i) => i + 1);
  const stretch = count / most;
  return Array.from({ length: most }, (_, i) => Math.min(count, 1 + Math.floor((i + random.int(1000) / 1000) * stretch)));
}

async function killAtCalls(name: string, copy: boolean, most: number): Promise<void> {
  const stage = await Stage.of(path.join(root, 'kill'), copy);
  const count = await calls(stage);
  const to = row(`killed at a call, ${name} (${count} calls)`);
  for (const at of pointsOf(count, most))
    for (const mode of ['kill before', 'kill after'] as const) {
      await stage.prepare();
      await stage.run({ mode, at });
      await judge(to, stage, `${mode} call ${at}`);
    }
}

async function killAtRandom(times: number): Promise<void> {
  const stage = await Stage.of(path.join(root, 'random'), false);
  const to = row('killed at random, up to three times');
  for (let i = 0; i < times; i++) {
    await stage.prepare();
    const kills = 1 + random.int(3);
    for (let k = 0; k < kills; k++) await stage.run(undefined, random.int(900));
    await judge(to, stage, `run ${i}`);
  }
}

async function fail(times: number): Promise<void> {
  const stage = await Stage.of(path.join(root, 'fail'), false);
  const count = await calls(stage);
  const EXPECTED: Readonly<Record<string, readonly (string | null)[]>> = {
    ENOSPC: ['storage-full', 'data-full', null],
    EIO: ['storage-failing', 'data-failed', null],
    EROFS: ['storage-read-only', 'data-failed', null],
  };
  for (const mode of ['ENOSPC', 'EIO', 'EROFS'] as const) {
    const to = row({ ENOSPC: 'disk full from a call on', EIO: 'a call fails (EIO)', EROFS: 'a call is refused (EROFS)' }[mode]);
    for (const at of pointsOf(count, Math.ceil(times / 4))) {
      await stage.prepare();
      await stage.run({ mode, at });
      if (!EXPECTED[mode]?.includes(stage.problem)) {
        to.wrong++;
        to.notes.push(`${mode} from call ${at}: shown as ${stage.problem}`);
      }
      await judge(to, stage, `${mode} from call ${at}`);
    }
  }
}

/** The library is mounted no more: in its place is its bare mount point. */
async function lose(times: number): Promise<void> {
  const stage = await Stage.of(path.join(root, 'lose'), false);
  const count = await calls(stage);
  const to = row('library unmounted at a call');
  const away = `${stage.library}.away`;
  for (const at of pointsOf(count, SIZE >= 200 ? count : times)) {
    await stage.prepare();
    await stage.run({ mode: 'run', at, command: `mv '${stage.library}' '${away}' && mkdir '${stage.library}'` });
    if (existsSync(away)) {
      const written = readdirSync(stage.library);
      if (written.length > 0) {
        to.lost++;
        to.notes.push(`at call ${at}: written to the mount point: ${written.join(', ')}`);
      }
      if (stage.shownAs !== 'done' && stage.problem !== 'storage-missing') {
        to.wrong++;
        to.notes.push(`at call ${at}: shown as ${stage.shownAs}, ${stage.problem}`);
      }
      rmSync(stage.library, { recursive: true });
      renameSync(away, stage.library);
    }
    await judge(to, stage, `unmounted at call ${at}`);
  }
}

const sh = (command: string) => spawnSync('sh', ['-c', command]).status === 0;

/** What a power cut leaves is what was flushed: the file that the file system stands in, copied at a call. */
async function cutPower(times: number): Promise<void> {
  const [disk, cut, at] = [path.join(root, 'disk.img'), path.join(root, 'cut.img'), path.join(root, 'mounted')];
  mkdirSync(at);
  execSync(`truncate -s 40M '${disk}'`);
  if (!sh(`mkfs.ext4 -q -F '${disk}' && mount -o loop '${disk}' '${at}'`)) {
    console.warn('NOT DONE HERE: power cuts (no file system in a file can be mounted on this machine)');
    return;
  }
  try {
    const stage = await Stage.of(at, false);
    const to = row('power cut at a call');
    const count = await calls(stage);
    const mountCut = () => sh(`umount '${at}' && e2fsck -p '${cut}'; mount -o loop '${cut}' '${at}'`);
    const mountDisk = () => sh(`umount '${at}'; mount -o loop '${disk}' '${at}'`);
    for (const [i, point] of pointsOf(count, times).entries()) {
      await stage.prepare();
      sh(`sync -f '${at}'`);
      // Every other time the file system has just written down its names, as it does every few seconds, and not yet what is in the files.
      const names = i % 2 === 0 ? `touch '${at}/other' && sync '${at}/other' && ` : '';
      const fault: FaultAt = { mode: 'run', at: point, command: `${names}cp '${disk}' '${cut}'` };
      await stage.run(fault);
      mountCut();
      await judge(to, stage, `power cut at call ${point}${names ? ', names written' : ''}`);
      mountDisk();
    }
    const end = row('power cut when the job was said to be done');
    for (const names of ['', `touch '${at}/other' && sync '${at}/other' && `]) {
      await stage.prepare();
      sh(`sync -f '${at}'`);
      await stage.run();
      sh(`${names}cp '${disk}' '${cut}'`);
      mountCut();
      if (stage.shownAs !== 'done') {
        end.lost++;
        end.notes.push(`said to be done, and after a power cut ${stage.shownAs}`);
      }
      await judge(end, stage, 'power cut after the end');
      mountDisk();
    }
  } finally {
    sh(`umount -l '${at}'`);
  }
}

try {
  const wants = (name: string) => only === '' || only === name;
  if (wants('calls')) {
    await killAtCalls('a master and its subtitle files', false, POINTS);
    await killAtCalls('a master and an access copy', true, Math.max(3, Math.round(SIZE / 16)));
  }
  if (wants('random')) await killAtRandom(SIZE);
  if (wants('power')) await cutPower(POWER_CUTS);
  if (wants('errors')) await fail(ERRORS);
  if (wants('unmounted')) await lose(ERRORS);
} finally {
  rmSync(root, { recursive: true, force: true });
}
const cell = (n: number) => String(n).padStart(7);
console.log(`\n${'fault'.padEnd(62)}   done   lost wrecks  stuck  wrong`);
for (const r of rows) console.log(`${r.name.padEnd(62)}${cell(r.done)}${cell(r.lost)}${cell(r.wrecks)}${cell(r.stuck)}${cell(r.wrong)}`);
const notes = rows.flatMap((r) => r.notes);
for (const note of notes.slice(0, 40)) console.log(`  ${note}`);
process.exitCode = notes.length > 0 ? 1 : 0;
