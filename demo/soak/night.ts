import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, renameSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { isOver, type EngineState, type JobState, type SourceRef } from '@/contract';
import type { Reading } from '@/core/reading';
import { SHIPPED } from '@/core/recipes';
import { readingForReel, wholeTitleReel } from '@/core/reels';
import { TestEngine, makeShare } from '@/test-support/engine';
import type { Random } from '@/test-support/random';
import { forecastText, watchForecasts } from './calm';
import { WebServer } from './web-server';

/**
 * A night of an archive: many small jobs of a drive and of images, to three storages, while runners, encoders, the engine and the web server
 * are killed, storages go away and come back, are full for a while, and the disc is pulled out. Jobs are sent through the web server, as a
 * page does: where no answer comes it is looked whether the job stands in the queue, and otherwise sent again. In the morning every reel is
 * proven, or says why not; what failed for a fault that is mended is tried once more, as an archivist would.
 */

export interface NightRow {
  readonly name: string;
  readonly done: number;
  readonly notes: readonly string[];
}

const PROVING = path.resolve('.cache/fixtures/proving/discs');
const image: SourceRef = { kind: 'place', root: 'images', path: 'QUAY.iso' };
const tray: SourceRef = { kind: 'drive', drive: 'tray' };
/** Bytes of the share: more than all of a night, so that only what fills it does. */
const QUOTA = 40e9;
/** Not over after so long: it hangs, milliseconds. */
const HANGS_MS = 100 * 60_000;

class Night {
  readonly root = mkdtempSync(path.join(tmpdir(), 'careful-vault-night-'));
  readonly share = path.join(this.root, 'share');
  readonly small = path.join(this.root, 'small');
  readonly engine: TestEngine;
  readonly web: WebServer;
  private reading: Reading | null = null;
  readonly isMounted: boolean;

  constructor() {
    makeShare(this.share, QUOTA);
    mkdirSync(this.small);
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
    this.web = new WebServer(folder);
  }

  async begin(): Promise<void> {
    await this.engine.start();
    await this.web.start();
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
    return (await this.web.call('submitJob', { body })).jobId;
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

  async unplugged(ms: number): Promise<void> {
    await this.engine.call('plugStorage', { id: 'share', body: { plugged: false } });
    await sleep(ms);
    if (existsSync(this.share)) throw new Error(`something was written in the place of the share: ${readdirSync(this.share).join(', ')}`);
    await this.engine.call('plugStorage', { id: 'share', body: { plugged: true } });
  }

  /** The quota of the share is used up for a while. */
  async over(ms: number): Promise<void> {
    const filler = path.join(this.share, 'filler');
    writeFileSync(filler, '');
    truncateSync(filler, QUOTA);
    await sleep(ms);
    rmSync(filler);
  }

  async full(ms: number): Promise<void> {
    const filler = path.join(this.small, 'filler');
    spawnSync('dd', ['if=/dev/zero', `of=${filler}`, 'bs=64k'], { stdio: 'ignore' });
    await sleep(ms);
    rmSync(filler, { force: true });
  }

  async pulled(ms: number): Promise<void> {
    await this.engine.call('pull', { id: 'tray' });
    await sleep(ms);
    // Whoever reads notices soon; until then nothing can be laid in.
    for (let i = 0; i < 300; i++) {
      const isIn = await this.engine.call('insert', { id: 'tray', body: { disc: 'quay' } }).then(
        () => true,
        () => false,
      );
      if (isIn) return;
      await sleep(100);
    }
    throw new Error('the disc can not be laid in again');
  }

  end(): void {
    spawnSync('umount', ['-l', this.small], { stdio: 'ignore' });
    rmSync(this.root, { recursive: true, force: true });
  }
}

/** Kinds of what happens, and how often. */
interface Happened {
  readonly kills: Record<'runner' | 'encoder' | 'engine' | 'web server', number>;
  readonly faults: Record<'share unplugged' | 'library away' | 'disc pulled out' | 'quota used up' | 'disk full', number>;
  /** Jobs that were sent again, since no answer had come and they were not in the queue. */
  sentAgain: number;
}
const sumOf = (counts: Readonly<Record<string, number>>): number => Object.values(counts).reduce((a, b) => a + b, 0);
const listOf = (counts: Readonly<Record<string, number>>): string =>
  Object.entries(counts)
    .map(([name, n]) => `${n} ${name}`)
    .join(', ');

/** Sends one job as a page does. @returns its identifier; null where it has to be sent again. */
async function sent(night: Night, name: string, submit: () => Promise<string>): Promise<string | null> {
  try {
    return await submit();
  } catch {
    // No answer, or a refusal while a storage is away. It may have been taken in all the same.
    const state = await night.state();
    return state?.jobs.find((j) => j.name === name)?.id ?? null;
  }
}

/** Jobs that wait or run at once, as an archivist feeds them. */
const MOST_OPEN = 24;

async function chaos(night: Night, random: Random, size: number): Promise<{ ids: string[]; happened: Happened }> {
  const happened: Happened = {
    kills: { runner: 0, encoder: 0, engine: 0, 'web server': 0 },
    faults: { 'share unplugged': 0, 'library away': 0, 'disc pulled out': 0, 'quota used up': 0, 'disk full': 0 },
    sentAgain: 0,
  };
  const wanted = { kills: Math.ceil(size * 1.03), faults: Math.ceil((size / 3) * 1.03) };
  const ids: string[] = [];
  const small = { left: 12 };
  const order = () => {
    const storage = random.pick(night.isMounted ? ['library', 'share', 'share', 'small'] : ['library', 'share']);
    // A small disk holds some dozens of them.
    const target = storage === 'small' && small.left-- <= 0 ? 'share' : storage;
    return [random.int(4) === 0 ? tray : image, target, random.int(5) === 0 ? ['master', 'access'] : ['master']] as const;
  };
  let next: ReturnType<typeof order> | null = null;
  const started = Date.now();
  for (;;) {
    const state = await night.state();
    const mine = state?.jobs.filter((j) => ids.includes(j.id)) ?? [];
    if (ids.length === size && state && mine.every(isOver)) return { ids, happened };
    if (Date.now() - started > HANGS_MS) return { ids, happened };
    const open = mine.filter((j) => !isOver(j)).length;
    for (let i = 0; state && ids.length < size && open + i < MOST_OPEN && i < 4; i++) {
      next ??= order();
      const [source, storage, recipes] = next;
      const name = `Night ${ids.length}`;
      const id = await sent(night, name, () => night.submit(name, source, storage, recipes));
      if (id === null) {
        happened.sentAgain++;
        break;
      }
      ids.push(id);
      next = null;
    }
    await sleep(40 + random.int(200));
    const running = state?.jobs.filter((j) => j.state === 'running') ?? [];
    const job = running.length > 0 ? random.pick(running) : null;
    // As far into the night as into its work.
    const share = Math.min(1, (ids.length - open + 8) / size);
    const what = random.int(14);
    const pause = 300 + random.int(1500);
    if (sumOf(happened.kills) < wanted.kills * share) {
      if (what < 6 && job && night.kill(job, 'runner')) happened.kills.runner++;
      else if (what < 9 && job && night.kill(job, 'encoder')) happened.kills.encoder++;
      else if (what === 9) {
        happened.kills.engine++;
        await night.engine.stop('SIGKILL');
        await sleep(random.int(400));
        await night.engine.start();
      } else if (what === 10) {
        happened.kills['web server']++;
        await Promise.all([night.web.kill(), sent(night, 'nobody', () => night.web.call('state').then(() => ''))]);
        await night.web.start();
      }
    }
    if (what < 11 || sumOf(happened.faults) >= wanted.faults * share) continue;
    const kind = random.pick(night.isMounted ? ([0, 1, 2, 3, 4] as const) : ([0, 1, 2, 3] as const));
    if (kind === 0) {
      happened.faults['share unplugged']++;
      await night.unplugged(pause);
    } else if (kind === 1) {
      happened.faults['library away']++;
      await night.away(night.engine.library, pause);
    } else if (kind === 2) {
      happened.faults['disc pulled out']++;
      await night.pulled(pause);
    } else if (kind === 3) {
      happened.faults['quota used up']++;
      await night.over(pause);
    } else {
      happened.faults['disk full']++;
      await night.full(pause);
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
    const { proof, digestMatches } = await night.engine.call('reprove', { id });
    if (!proof.passed || !digestMatches) found.push(`${file} is not what its sidecar says`);
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
  return forecastText(await watchForecasts(() => night.state(), jobs));
}

/** @param size jobs; at least as many kills, and a third as many other faults. */
export async function night(size: number, random: Random): Promise<{ rows: NightRow[]; told: string[] }> {
  const house = new Night();
  const rows: NightRow[] = [];
  const told: string[] = [];
  try {
    await house.begin();
    told.push(await calm(house, Math.max(6, Math.min(16, Math.round(size / 8)))));
    const started = Date.now();
    const { ids, happened } = await chaos(house, random, size);
    const after = await house.engine.call('state');
    const mine = after.jobs.filter((j) => ids.includes(j.id));
    const failed = mine.filter((j) => j.state === 'failed');
    const lost = ids.filter((id) => !mine.some((j) => j.id === id));
    if (ids.length < size) lost.push(`${size - ids.length} never came into the queue`);
    const names = after.jobs.filter((j) => j.name.startsWith('Night ')).map((j) => j.name);
    const doubled = names.filter((name, i) => names.indexOf(name) !== i);
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
      `${size} jobs in ${seconds} s; ${sumOf(happened.kills)} kills (${listOf(happened.kills)}) and ${sumOf(happened.faults)} other faults (${listOf(happened.faults)})`,
      `${failed.length} said why they failed: ${reasons(failed)}; ${happened.sentAgain} orders had to be sent again${house.isMounted ? '' : '; NOT DONE HERE: full disks (none can be mounted)'}`,
    );
    rows.push(
      { name: 'lost from the queue', done: size, notes: lost },
      { name: 'in the queue twice', done: size, notes: doubled },
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
    await house.web.kill();
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
