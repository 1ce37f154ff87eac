import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { isOver, type EngineState, type JobState, type SourceRef } from '@/contract';
import { forecast } from '@/core/queue';
import type { Reading } from '@/core/reading';
import { SHIPPED } from '@/core/recipes';
import { readingForReel, wholeTitleReel } from '@/core/reels';
import { TestEngine } from '@/test-support/engine';
import type { Random } from '@/test-support/random';

/**
 * A night of an archive: many small jobs of a drive and of images, to three storages, while runners, encoders and the engine are killed,
 * storages go away and come back, one is full for a while, and the disc is pulled out. In the morning every reel is proven, or says why not;
 * what failed for a fault that is mended is tried once more, as an archivist would. Web server and browser have no part in it.
 */

export interface NightRow {
  readonly name: string;
  readonly done: number;
  readonly notes: readonly string[];
}

const PROVING = path.resolve('.cache/proving/discs');
const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
/** Not over after so long: it hangs, milliseconds. */
const HANGS_MS = 40 * 60_000;

class Night {
  readonly root = mkdtempSync(path.join(tmpdir(), 'careful-vault-night-'));
  readonly share = path.join(this.root, 'share');
  readonly small = path.join(this.root, 'small');
  readonly engine: TestEngine;
  private reading: Reading | null = null;
  readonly isMounted: boolean;

  constructor() {
    for (const folder of [this.share, this.small]) mkdirSync(folder);
    // A disk that can be full. Where none can be mounted, there is none to be filled.
    this.isMounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=64M', 'tmpfs', this.small], { stdio: 'ignore' }).status === 0;
    const folder = path.join(this.root, 'house');
    mkdirSync(folder);
    this.engine = new TestEngine(
      [{ id: 'quay', image: path.join(PROVING, 'QUAY.iso'), bytesPerSecond: 30e6, retryMs: 5 }],
      [
        { id: 'share', name: 'Share', path: this.share },
        { id: 'small', name: 'Small disk', path: this.small },
      ],
      folder,
    );
  }

  async begin(): Promise<void> {
    await this.engine.start();
    for (const id of ['share', 'small']) await this.engine.call('takeStorage', { id });
    await this.engine.call('insert', { id: 'tray', body: { disc: 'quay' } });
    this.reading = (await this.engine.read(image)).reading;
  }

  async submit(name: string, source: SourceRef, storage: string, recipes: readonly string[]): Promise<string> {
    const { reading } = this;
    const title = reading?.titles.find((t) => t.number === 2);
    if (!reading || !title) throw new Error('the disc was not read');
    const whole = wholeTitleReel(title, name);
    const reel = { ...whole, recipes, pieces: whole.pieces.map((p) => ({ ...p, fromChapter: 1, toChapter: 1 })) };
    const copies = SHIPPED.filter((r) => recipes.includes(r.id));
    const body = {
      source,
      fingerprint: reading.fingerprint,
      reading: readingForReel(reading, reel),
      reel,
      storage,
      folder: '',
      copies,
      places: [],
    };
    return (await this.engine.call('submitJob', { body })).jobId;
  }

  /** The engine as it answers; null where it is being started. */
  state(): Promise<EngineState | null> {
    return this.engine.call('state').catch(() => null);
  }

  /** Kills what a job has at work. @param what the runner itself, or one of what it has begun. */
  kill({ id }: JobState, what: 'runner' | 'encoder'): boolean {
    try {
      const { pid } = JSON.parse(readFileSync(path.join(this.engine.folder, 'jobs', id, 'runner.json'), 'utf8')) as { pid: number };
      const group = execFileSync('pgrep', ['-g', String(pid)], { encoding: 'utf8' })
        .split('\n')
        .map(Number)
        .filter(Boolean);
      const victim = what === 'runner' ? pid : group.find((p) => p !== pid);
      if (victim === undefined) return false;
      process.kill(victim, 'SIGKILL');
      return true;
    } catch {
      return false; // it has just ended
    }
  }

  async away(folder: string, ms: number): Promise<void> {
    renameSync(folder, `${folder}.away`);
    await sleep(ms);
    // What was written in its place would be seen here.
    if (existsSync(folder))
      throw new Error(`something was written in the place of ${path.basename(folder)}: ${readdirSync(folder).join(', ')}`);
    renameSync(`${folder}.away`, folder);
  }

  async full(ms: number): Promise<void> {
    const filler = path.join(this.small, 'filler');
    spawnSync('dd', ['if=/dev/zero', `of=${filler}`, 'bs=64k'], { stdio: 'ignore' });
    await sleep(ms);
    rmSync(filler, { force: true });
  }

  async pulled(ms: number): Promise<void> {
    const disc = path.join(this.engine.folder, 'quay.json');
    renameSync(disc, `${disc}.pulled`);
    await sleep(ms);
    renameSync(`${disc}.pulled`, disc);
  }

  end(): void {
    spawnSync('umount', ['-l', this.small], { stdio: 'ignore' });
    rmSync(this.root, { recursive: true, force: true });
  }
}

async function chaos(night: Night, random: Random, wanted: { kills: number; faults: number }): Promise<{ kills: number; faults: number }> {
  const happened = { kills: 0, faults: 0 };
  const started = Date.now();
  for (;;) {
    const state = await night.state();
    if (state?.jobs.every(isOver) || Date.now() - started > HANGS_MS) return happened;
    await sleep(100 + random.int(500));
    const running = state?.jobs.filter((j) => j.state === 'running') ?? [];
    const job = running.length > 0 ? random.pick(running) : null;
    const what = random.int(12);
    if (happened.kills < wanted.kills) {
      if (what < 6 && job && night.kill(job, 'runner')) happened.kills++;
      else if (what < 9 && job && night.kill(job, 'encoder')) happened.kills++;
      else if (what === 9) {
        happened.kills++;
        await night.engine.stop('SIGKILL');
        await sleep(random.int(400));
        await night.engine.start();
      }
    }
    if (what >= 10 && happened.faults < wanted.faults) {
      happened.faults++;
      const kind = random.int(night.isMounted ? 4 : 3);
      if (kind === 0) await night.away(night.share, 300 + random.int(1500));
      else if (kind === 1) await night.away(night.engine.library, 300 + random.int(1500));
      else if (kind === 2) await night.pulled(300 + random.int(1500));
      else await night.full(300 + random.int(1500));
    }
  }
}

/** What stands in a storage that anybody would take for a result, and is not one. */
async function wrecks(night: Night): Promise<string[]> {
  const found: string[] = [];
  const outputs = await night.engine.outputs();
  for (const [storage, folder] of [
    ['library', night.engine.library],
    ['share', night.share],
    ['small', night.small],
  ] as const) {
    const known = new Set(outputs.filter((o) => o.storage === storage).flatMap((o) => [o.path, `${o.path}.json`]));
    for (const name of readdirSync(folder)) if (!name.startsWith('.') && !known.has(name)) found.push(`${storage}: ${name} is nobody's`);
    const workshop = readdirSync(path.join(folder, '.careful-vault')).filter((n) => n !== 'storage.json' && n !== 'checks.ndjson');
    for (const name of workshop) found.push(`${storage}: ${name} is left over in the workshop`);
  }
  for (const { id, path: file } of outputs) {
    const { proof, sha256Matches } = await night.engine.call('reprove', { id });
    if (!proof.passed || !sha256Matches) found.push(`${file} is not what its sidecar says`);
  }
  return found;
}

/** How far off the time of the queue was, as it went on without any fault; shares of the time that was left. */
async function calm(night: Night, jobs: number): Promise<string> {
  for (let i = 0; i < 3; i++)
    await night.submit(`Known ${i}`, i === 2 ? tray : image, 'library', i === 1 ? ['master', 'access'] : ['master']);
  while (!(await night.state())?.jobs.every(isOver)) await sleep(200);
  for (let i = 0; i < jobs; i++)
    await night.submit(`Calm ${i}`, i % 4 === 3 ? tray : image, 'library', i % 3 === 2 ? ['master', 'access'] : ['master']);
  const said: { at: number; seconds: number | null }[] = [];
  for (;;) {
    const state = await night.state();
    if (!state || state.jobs.every(isOver)) break;
    const pace = new Map(state.pace.map(({ work, rate }) => [work, rate]));
    said.push({ at: Date.now(), seconds: forecast(state.jobs, pace, { encode: state.usualEncodeLanes, held: false }, Date.now()).seconds });
    await sleep(400);
  }
  const [first, end] = [said[0]?.at ?? 0, Date.now()];
  const off = said.flatMap(({ at, seconds }) => {
    const left = (end - at) / 1000;
    return seconds === null || left < (end - first) / 1000 / 10 ? [] : [Math.abs(seconds - left) / left];
  });
  const sorted = [...off].sort((a, b) => a - b);
  const at = (share: number) => `${Math.round((sorted[Math.floor(sorted.length * share)] ?? 0) * 100)} %`;
  return `time of the queue, ${jobs} jobs in ${Math.round((end - first) / 1000)} s, ${sorted.length} forecasts: off by ${at(0.5)} in the middle, ${at(0.9)} at worst but a tenth`;
}

/** @param size jobs; as many kills, and a third as many other faults. */
export async function night(size: number, random: Random): Promise<{ rows: NightRow[]; told: string[] }> {
  const house = new Night();
  const rows: NightRow[] = [];
  const told: string[] = [];
  try {
    await house.begin();
    told.push(await calm(house, Math.max(6, Math.min(16, Math.round(size / 8)))));
    const ids: string[] = [];
    for (let i = 0; i < size; i++) {
      const storage = random.pick(house.isMounted ? ['library', 'share', 'share', 'small'] : ['library', 'share']);
      const recipes = random.int(5) === 0 ? ['master', 'access'] : ['master'];
      // A small disk holds some dozens of them.
      const target = storage === 'small' && i > 12 ? 'share' : storage;
      ids.push(await house.submit(`Night ${i}`, random.int(4) === 0 ? tray : image, target, recipes));
    }
    const started = Date.now();
    const first = await chaos(house, random, { kills: size, faults: Math.round(size / 3) });
    const after = await house.engine.call('state');
    const mine = after.jobs.filter((j) => ids.includes(j.id));
    const failed = mine.filter((j) => j.state === 'failed');
    const lost = ids.filter((id) => !mine.some((j) => j.id === id));
    const silent = failed.filter((j) => !j.problem?.message || !j.problem.whatToDo);
    const stuck = mine.filter((j) => !isOver(j));
    // In the morning all is mended, and what failed is tried once more.
    for (const { id } of failed) await house.engine.call('retryJob', { id });
    const morning = Date.now();
    let states = mine;
    while (Date.now() - morning < HANGS_MS) {
      states = (await house.engine.call('state')).jobs.filter((j) => ids.includes(j.id));
      if (states.every(isOver)) break;
      await sleep(300);
    }
    const never = states.filter((j) => j.state !== 'done');
    await sleep(3000);
    const left = spawnSync('pgrep', ['-f', path.join(house.engine.folder, 'jobs')], { encoding: 'utf8' })
      .stdout.split('\n')
      .filter(Boolean);
    const seconds = Math.round((Date.now() - started) / 1000);
    told.push(
      `${size} jobs, ${first.kills} kills and ${first.faults} other faults in ${seconds} s; ${failed.length} said why they failed: ${reasons(failed)}${house.isMounted ? '' : '; NOT DONE HERE: full disks (none can be mounted)'}`,
    );
    rows.push(
      { name: 'lost from the queue', done: size, notes: lost },
      { name: 'failed without a word', done: failed.length, notes: silent.map((j) => j.name) },
      { name: 'stuck', done: size, notes: stuck.map((j) => `${j.name}: ${j.state}`) },
      {
        name: 'not made even when all was mended',
        done: size,
        notes: never.map((j) => `${j.name}: ${j.state}, ${j.problem?.message ?? ''}`),
      },
      { name: 'only looks finished, or left over', done: size, notes: await wrecks(house) },
      { name: 'processes that nobody has', done: size, notes: left },
    );
    await house.engine.stop();
  } finally {
    await house.engine.stop('SIGKILL');
    house.end();
  }
  return { rows, told };
}

function reasons(failed: readonly JobState[]): string {
  const counts = new Map<string, number>();
  for (const { problem } of failed) counts.set(problem?.code ?? 'none', (counts.get(problem?.code ?? 'none') ?? 0) + 1);
  return [...counts].map(([code, n]) => `${n} ${code}`).join(', ') || 'none';
}

/** Prints what was found. @returns whether nothing was wrong. */
export function report({ rows, told }: Awaited<ReturnType<typeof night>>): boolean {
  for (const line of told) console.log(line);
  console.log(`\n${'in the morning'.padEnd(40)}     of  wrong`);
  for (const r of rows) console.log(`${r.name.padEnd(40)}${String(r.done).padStart(7)}${String(r.notes.length).padStart(7)}`);
  const notes = rows.flatMap((r) => r.notes.map((n) => `${r.name}: ${n}`));
  for (const note of notes.slice(0, 40)) console.log(`  ${note}`);
  return notes.length === 0;
}
