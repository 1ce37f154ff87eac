import { cpSync, mkdirSync, readFileSync, readdirSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { isOver, type JobEvent, type SourceRef } from '@/contract';
import { writeMaster, TrackHashes } from '@/core/master';
import { wholeTitleReel, type Reel } from '@/core/reels';
import type { CreateHash } from '@/core/proof';
import type { Reading } from '@/core/reading';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { openFileSink } from '@/node/library';
import { openSource } from '@/node/open-source';
import { makeTransportStream } from './bench-streams';
import { TestEngine } from '@/test-support/engine';
import { forecastText, watchForecasts } from './soak/calm';
import { median } from './median';

/** The queue: what a job costs beside its remux, how good its forecasts are, and what a long history weighs. */

const ROUNDS = 3;
const MANY = 5000;
/** Of the jobs of a long history so many wait still. */
const WAITING = 1000;
const IDLE_SECONDS = 20;
/** Clock ticks in a second, as /proc counts them: sysconf(_SC_CLK_TCK), 100 wherever Linux runs. */
const TICKS = 100;

const idle: CreateHash = () => ({ update: () => undefined, digest: () => '' });

/** Nothing but the assembly and the writer: no hashes, no checksums, no proof, no journal. For a process of its own, as a runner is one. */
export async function plainRemux(folder: string, disc: string, isHashed: boolean): Promise<void> {
  const [reading, reel] = ['reading', 'reel'].map((name): unknown =>
    JSON.parse(readFileSync(path.join(folder, `${name}.json`), 'utf8')),
  ) as [Reading, Reel];
  const opened = await openSource({ kind: 'folder', path: disc, label: 'bench' }, { blocking: true });
  const hashes = new TrackHashes(isHashed ? createPayloadHash : idle);
  const sink = await openFileSink(path.join(folder, 'plain.mkv'));
  const assembly = await opened.assemble(reading, reel, { tap: hashes.tap });
  await writeMaster(assembly, hashes, reading, reel, sink, {
    application: 'bench',
    seed: 'bench',
    createHash: isHashed ? createPayloadHash : idle,
    crc32: isHashed ? fastCrc32 : () => 0,
  });
  await sink.close();
  await opened.close();
}

const between = (events: readonly JobEvent[], from: (e: JobEvent) => boolean, to: (e: JobEvent) => boolean): number => {
  const at = (of: (e: JobEvent) => boolean) => Date.parse(events.find(of)?.at ?? '');
  return at(to) - at(from);
};

const longestOf = (reading: Reading | null) => [...(reading?.titles ?? [])].sort((a, b) => b.durationMs - a.durationMs)[0];

type InChild = (mode: string, folder: string, image: string) => { readonly ms: number };

async function benchOverhead(folder: string, inChild: InChild): Promise<void> {
  const engine = new TestEngine([], [], path.join(folder, 'overhead'));
  // At the rate of a real disc, and long enough that a start is none of it.
  await makeTransportStream(engine.sounds);
  await engine.start();
  try {
    const source: SourceRef = { kind: 'place', root: 'sounds', path: 'BENCH' };
    const { reading } = await engine.read(source);
    const title = longestOf(reading);
    if (!reading || !title) throw new Error('the disc was not read');
    const times = { plain: [] as number[], hashed: [] as number[], master: [] as number[], proof: [] as number[], rest: [] as number[] };
    let bytes = 0;
    for (let round = 0; round <= ROUNDS; round++) {
      const reel: Reel = { ...wholeTitleReel(title, `Bench ${round}`), recipes: ['master'], damage: 'around' };
      writeFileSync(path.join(folder, 'reading.json'), JSON.stringify(reading));
      writeFileSync(path.join(folder, 'reel.json'), JSON.stringify(reel));
      const [plain, hashed] = ['plain', 'hashed'].map((mode) => inChild(mode, folder, path.join(engine.sounds, 'BENCH')).ms);
      const { jobId } = await engine.submit(source, () => reel);
      // Asked seldom: a page is told, and asking 40 times a second would be a good part of what is measured.
      while (!isOver(await engine.job(jobId))) await sleep(500);
      const { events } = await engine.call('jobLog', { id: jobId });
      const stage = (name: string) => (e: JobEvent) => e.type === 'stage' && e.stage === name;
      if (round === 0) continue; // the first one warms what both read
      times.plain.push(plain ?? 0);
      times.hashed.push(hashed ?? 0);
      times.master.push(between(events, stage('master'), stage('master proof')));
      times.proof.push(between(events, stage('master proof'), stage('placing')));
      times.rest.push(
        between(events, (e) => e.type === 'started', stage('master')) + between(events, stage('placing'), (e) => e.type === 'finished'),
      );
      const [output] = await engine.outputs();
      bytes = output?.sidecar.file.sizeBytes ?? 0;
      rmSync(path.join(engine.library, output?.path ?? ''));
      rmSync(path.join(engine.library, `${output?.path ?? ''}.json`));
    }
    const plain = median(times.plain);
    const share = (ms: readonly number[]) => (median(ms) / plain).toFixed(2);
    console.log(
      `\na job of ${(bytes / 1e6).toFixed(0)} MB beside a plain remux of the same, without hashes, checksums and journal, ${ROUNDS} rounds`,
    );
    console.log(`  master stage / remux      ${share(times.master)}   (aim 1.15 or less: hashes, checksums, events, flushing)`);
    console.log(`  hashes and checksums alone  ${share(times.hashed)}`);
    console.log(`  start and placing / remux ${share(times.rest)}`);
    console.log(`  proof / remux             ${share(times.proof)}   (reads all of it again; beside the next reading)`);
  } finally {
    await engine.stop();
  }
}

async function benchForecast(folder: string, image: string): Promise<void> {
  const engine = new TestEngine([], [], path.join(folder, 'forecast'));
  cpSync(image, path.join(engine.sounds, 'BENCH.iso'));
  await engine.start();
  try {
    const source: SourceRef = { kind: 'place', root: 'sounds', path: 'BENCH.iso' };
    const { reading } = await engine.read(source);
    const title = longestOf(reading);
    if (!reading || !title) throw new Error('the disc was not read');
    const submit = (name: string) =>
      engine.call('submitJob', {
        body: {
          ...{ source, fingerprint: reading.fingerprint, reading, storage: 'library', folder: '' },
          reel: { ...wholeTitleReel(title, name), recipes: ['master'] },
        },
      });
    for (let i = 0; i < 2; i++) await engine.jobUntil((await submit(`Known ${i}`)).jobId, isOver);
    const jobs = 10;
    for (let i = 0; i < jobs; i++) await submit(`Calm ${i}`);
    console.log(`\n${forecastText(await watchForecasts(() => engine.call('state'), jobs))}`);
  } finally {
    await engine.stop();
  }
}

/** Lays a history of thousands of jobs and results into an engine's folders, all like one that was really made. */
function layHistory(engine: TestEngine, jobId: string, result: string): void {
  const jobs = path.join(engine.folder, 'jobs');
  const names = readdirSync(path.join(jobs, jobId));
  const texts = names.map((name) => [name, readFileSync(path.join(jobs, jobId, name), 'utf8')] as const);
  const sidecar = readFileSync(path.join(engine.library, `${result}.json`), 'utf8');
  const { sizeBytes } = (JSON.parse(sidecar) as { file: { sizeBytes: number } }).file;
  for (let i = 0; i < MANY; i++) {
    const id = `${jobId.slice(0, 9)}${i.toString(16).padStart(8, '0')}`.slice(-17);
    const own = path.join(jobs, `zz${id}`);
    mkdirSync(own);
    for (const [name, text] of texts) {
      // What waits has its order only.
      if (i < WAITING && name !== 'job.json') continue;
      writeFileSync(path.join(own, name), text.replaceAll(jobId, path.basename(own)).replaceAll('"Like all"', `"Like all ${i}"`));
    }
    const film = path.join(engine.library, `Like all ${i}.mkv`);
    writeFileSync(film, '');
    truncateSync(film, sizeBytes);
    writeFileSync(`${film}.json`, sidecar.replaceAll(result, path.basename(film)));
  }
}

function figures(pid: number): { megabytes: number; ticks: number } {
  const status = readFileSync(`/proc/${pid}/status`, 'utf8');
  const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
  const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
  return { megabytes: Number(/VmRSS:\s+(\d+) kB/.exec(status)?.[1] ?? 0) / 1024, ticks: Number(fields[11]) + Number(fields[12]) };
}

/** What an engine weighs that has nothing to do, and how busy it is at that. */
async function atRest(engine: TestEngine): Promise<{ megabytes: number; busy: number }> {
  const { pid } = JSON.parse(readFileSync(path.join(engine.folder, 'engine.json'), 'utf8')) as { pid: number };
  // What it does at a start is not what it does at rest.
  for (let [before, now] = [-1, 0]; before !== now;) {
    await sleep(5000);
    [before, now] = [now, (await engine.call('state')).outputs ?? 0];
  }
  const first = figures(pid);
  await sleep(IDLE_SECONDS * 1000);
  const last = figures(pid);
  return { megabytes: last.megabytes, busy: (last.ticks - first.ticks) / TICKS / IDLE_SECONDS };
}

async function benchHistory(folder: string): Promise<void> {
  const engine = new TestEngine([], [], path.join(folder, 'history'));
  await engine.start();
  try {
    const { jobId } = await engine.submit({ kind: 'place', root: 'images', path: 'QUAY.iso' }, (reading) => {
      const [title] = reading.titles;
      if (!title) throw new Error('no title');
      return { ...wholeTitleReel(title, 'Like all'), recipes: ['master'] };
    });
    await engine.jobUntil(jobId, isOver);
    await engine.call('setQueue', { body: { ...(await engine.call('state')).queue, held: true } });
    await engine.stop();
    await engine.start();
    const empty = await atRest(engine);
    await engine.stop();
    layHistory(engine, jobId, 'Like all.mkv');
    const began = performance.now();
    await engine.start();
    const started = performance.now() - began;
    const full = await atRest(engine);
    const { jobs, outputs } = await engine.call('state');
    console.log(
      `\nan engine at rest with ${jobs.length.toLocaleString('en-GB')} jobs, ${jobs.filter((j) => !isOver(j)).length} of them waiting, and ${outputs ?? 0} results, beside one with none`,
    );
    console.log(`  memory                    ${full.megabytes.toFixed(0)} MB; without them ${empty.megabytes.toFixed(0)} MB`);
    console.log(
      `  processor at rest         ${(full.busy * 100).toFixed(2)} %; without them ${(empty.busy * 100).toFixed(2)} %   (aim below 1 %)`,
    );
    console.log(`  start                     ${(started / 1000).toFixed(1)} s until it answers`);
  } finally {
    await engine.stop();
  }
}

/** @param image of a disc whose longest title is large enough to be measured. */
export async function benchQueue(folder: string, image: string, inChild: InChild): Promise<void> {
  for (const name of ['overhead', 'forecast', 'history']) mkdirSync(path.join(folder, name));
  await benchOverhead(folder, inChild);
  rmSync(path.join(folder, 'overhead'), { recursive: true });
  await benchForecast(folder, image);
  await benchHistory(folder);
}
