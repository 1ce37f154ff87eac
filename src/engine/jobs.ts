import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, openSync, closeSync, readdirSync, rmSync, statSync, statfsSync } from 'node:fs';
import path from 'node:path';
import { joinProblem, planPiece } from '@/core/assembly';
import { estimateReel, neededBytes, safeFileName, safeFolderPath } from '@/core/reels';
import {
  JOB_ID,
  JOB_VERSION,
  JobSchema,
  WorkError,
  toProblem,
  type Job,
  type JobEvent,
  type JobSource,
  type JobState,
  type SubmitJob,
} from '@/contract';
import { makeFolderDurably, writeDurably } from '@/node/durable';
import { JobFolder } from '@/node/job-folder';
import { removeWorkshop, requireStorage } from '@/node/library';
import { RUNNER_FLAGS } from '@/node/runner-flags';
import type { EngineConfig } from './config';
import type { Drives } from './drives';
import { EventFollower } from './follower';
import type { Hub } from './hub';
import { Names, requireFreeInLibrary, type Wanted } from './names';
import { isOver, lostJobState, newJobState, reduceJob, type Measured } from './job-state';
import { Lanes, phaseOf, type Phase } from './lanes';
import { identify, isCommand, type ProcessId } from '@/node/process-id';

interface Entry {
  readonly job: Job;
  readonly folder: string;
  state: JobState;
  readonly follower: EventFollower;
  last: (Measured & { readonly stage: string }) | null;
  process: ProcessId | null;
  /** A runner of this engine that has not been seen to end. */
  child: boolean;
  drive: { readonly done: () => void } | null;
  /** Its master is made and proven: it needs its disc no more. */
  parted: boolean;
  /** Not to be started before: something of ours is in its way. And how often that was so, one after the other. */
  notBefore: number;
  held: number;
}

const wantedBy = ({ storage, folder, fileName, reel }: Job): Wanted => ({ storage: storage.path, folder, fileName, reel });

const POLL_MS = 250;
/** Of the data folder, for journals of a job. */
const LEAST_ROOM = 1024 * 1024;
/** How long a job waits that can not be begun for want of room, at first and at last. */
const FIRST_HOLD_MS = 1000;
const LONGEST_HOLD_MS = 60_000;
/** A job whose runner dies this often is left for the user. */
const MAX_ATTEMPTS = 3;

/**
 * The queue. It has no database: a job is a folder, its state follows from its events, and a runner goes on without the
 * engine. After a restart the folders are read again and runners that still live are followed as before.
 */
export class Jobs {
  private readonly entries = new Map<string, Entry>();
  private readonly root: string;
  private readonly names = new Names();
  /** Folders of jobs whose order can not be read. */
  private readonly lost = new Map<string, JobState>();
  private timer: NodeJS.Timeout | null = null;
  private busy = false;

  constructor(
    private readonly config: EngineConfig,
    private readonly runner: string,
    private readonly drives: Drives,
    private readonly hub: Hub,
    private readonly finished: () => void,
  ) {
    this.root = path.join(config.dataFolder, 'jobs');
  }

  /** Reads the job folders that are there, and begins to work. */
  async start(): Promise<void> {
    for (const name of readdirSync(this.root).sort()) {
      const folder = path.join(this.root, name);
      try {
        const job = new JobFolder(folder).readJob();
        const entry = this.entry(job, folder);
        this.entries.set(job.id, entry);
        await this.follow(entry);
      } catch (error) {
        console.error(`job folder ${name} can not be used: ${toProblem(error).message}`);
        const since = statSync(folder, { throwIfNoEntry: false })?.mtime ?? new Date();
        // A folder of another name is none of ours.
        if (JOB_ID.test(name)) this.lost.set(name, lostJobState(name, since.toISOString(), toProblem(error)));
      }
    }
    this.timer = setInterval(() => void this.tick(), POLL_MS);
    await this.tick();
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  private entry(job: Job, folder: string): Entry {
    return {
      job,
      folder,
      state: newJobState(job),
      follower: new EventFollower(path.join(folder, 'events.ndjson')),
      last: null,
      process: new JobFolder(folder).runner,
      child: false,
      drive: null,
      parted: false,
      notBefore: 0,
      held: 0,
    };
  }

  states(): JobState[] {
    return [...this.lost.values(), ...[...this.entries.values()].map((e) => e.state)];
  }

  /** What jobs that are not over will put into the library, and failed ones, which may be tried again. */
  private wantedByOthers(than: Entry | null): Wanted[] {
    const holds = (e: Entry) => e !== than && (!isOver(e.state) || e.state.state === 'failed');
    return [...this.entries.values()].filter(holds).map((e) => wantedBy(e.job));
  }

  /**
   * Takes a job into the queue.
   * @throws WorkError and DiscError for whatever can be known before it starts.
   */
  async submit(request: SubmitJob, source: JobSource, soundFiles: readonly string[] = []): Promise<{ jobId: string; fileName: string }> {
    const storage = this.config.storages.find((s) => s.id === request.storage);
    if (!storage) throw new WorkError('not-known', 'This storage is not configured');
    const { reel, reading } = request;
    const titles = reel.pieces.map((piece) => planPiece(reading, piece, reel.damage === 'around').title);
    const [first] = titles;
    for (const title of titles) {
      const problem = first ? joinProblem(first, title) : null;
      if (problem) throw new WorkError('bad-request', problem);
    }
    const fileName = safeFileName(reel.fileName || reel.name);
    const folder = safeFolderPath(request.folder);
    const wanted = { storage: storage.path, folder, fileName, reel };
    // Held before anything is waited for: of many that are sent at once with one name, one is taken in.
    const release = this.names.hold(wanted, this.wantedByOthers(null));
    try {
      await requireStorage(storage.path, storage.name, neededBytes(reel, estimateReel(reading, reel)));
      await requireFreeInLibrary(wanted);
      return this.takeIn({ reel, reading, source, storage, folder, fileName, soundFiles: [...soundFiles] });
    } finally {
      release();
    }
  }

  /** A job of its own folder. Where that can not be written, nothing of it stays behind. @throws system errors. */
  private takeIn(job: Pick<Job, 'reel' | 'reading' | 'source' | 'storage' | 'folder' | 'fileName' | 'soundFiles'>): {
    jobId: string;
    fileName: string;
  } {
    const id = `${Date.now().toString(36)}-${randomBytes(4).toString('hex')}`;
    const whole: Job = JobSchema.parse({ version: JOB_VERSION, id, createdAt: new Date().toISOString(), ...job });
    const jobFolder = path.join(this.root, id);
    try {
      makeFolderDurably(jobFolder);
      writeDurably(path.join(jobFolder, 'job.json'), JSON.stringify(whole, null, 1));
    } catch (error) {
      rmSync(jobFolder, { recursive: true, force: true });
      throw new WorkError('data-full', `The order could not be written: ${toProblem(error).message}`, { cause: error });
    }
    const entry = this.entry(whole, jobFolder);
    this.entries.set(id, entry);
    this.send(entry);
    void this.tick();
    return { jobId: id, fileName: job.fileName };
  }

  private find(id: string): Entry {
    const entry = this.entries.get(id);
    if (!entry) throw new WorkError('not-known', 'There is no such job');
    return entry;
  }

  /** Stops a job; nothing that looks finished stays behind. */
  async cancel(id: string): Promise<void> {
    const entry = this.find(id);
    if (isOver(entry.state)) return;
    writeDurably(path.join(entry.folder, 'cancel'), '');
    if (entry.process && this.isOurs(entry.process, entry)) {
      process.kill(entry.process.pid, 'SIGTERM');
      return;
    }
    await removeWorkshop(entry.job.storage.path, id).catch(() => undefined);
    new JobFolder(entry.folder).cancelled();
    await this.tick();
  }

  /**
   * Puts a failed or cancelled job into the queue again; it goes on from the last finished stage.
   * @param around where the disc is not whole, with what there is.
   */
  async retry(id: string, around = false): Promise<void> {
    const entry = this.find(id);
    if (entry.state.state !== 'failed' && entry.state.state !== 'cancelled') return;
    // Its names may have gone to another job meanwhile: that is said now, not after all the work.
    this.names.hold(wantedBy(entry.job), this.wantedByOthers(entry))();
    rmSync(path.join(entry.folder, 'cancel'), { force: true });
    if (entry.state.state === 'cancelled') entry.parted = false; // nothing of it was kept
    const folder = new JobFolder(entry.folder);
    if (around) folder.chooseAround();
    else if (entry.state.problem?.code === 'not-whole') {
      // Another try of the same disc: what was read of it before is not gone on with.
      folder.forgetProgress();
      entry.parted = false;
    }
    folder.emit({ type: 'retried', around });
    await this.follow(entry);
    await this.tick();
  }

  /** Takes an ended job off the list. What it made stays. */
  async forget(id: string): Promise<void> {
    if (this.lost.has(id)) {
      for (const storage of this.config.storages) await removeWorkshop(storage.path, id).catch(() => undefined);
      rmSync(path.join(this.root, id), { recursive: true, force: true });
      this.lost.delete(id);
      this.hub.send({ type: 'job-gone', id });
      return;
    }
    const entry = this.find(id);
    if (!isOver(entry.state)) throw new WorkError('bad-request', 'This job is not over: cancel it first');
    await removeWorkshop(entry.job.storage.path, id).catch(() => undefined);
    this.freeDrive(entry); // it may have ended since the last look at it
    rmSync(entry.folder, { recursive: true, force: true });
    this.entries.delete(id);
    this.hub.send({ type: 'job-gone', id });
  }

  async log(id: string): Promise<JobEvent[]> {
    const events = await new EventFollower(path.join(this.find(id).folder, 'events.ndjson')).read();
    return events.filter((e) => e.type !== 'progress');
  }

  private send(entry: Entry): void {
    this.hub.send({ type: 'job', job: entry.state });
  }

  /** Takes in what the runner has written since. */
  private async follow(entry: Entry): Promise<void> {
    const before = entry.state;
    for (const event of await entry.follower.read()) {
      const last = event.type === 'progress' && entry.last?.stage === event.stage ? entry.last : null;
      entry.state = reduceJob(entry.state, event, last);
      if (event.type === 'progress') entry.last = { atMs: Date.parse(event.at), done: event.done, stage: event.stage };
      if (event.type === 'started') entry.last = null;
      if (event.type === 'parted') entry.parted = true;
      if (event.type === 'stage' && event.stage === 'master') entry.parted = false; // the disc is read again
    }
    if (entry.state === before) return;
    this.send(entry);
    if (entry.state.state === 'done' && before.state !== 'done') this.finished();
  }

  private async tick(): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    try {
      const lanes = new Lanes();
      for (const entry of this.entries.values()) {
        if (isOver(entry.state)) {
          this.freeDrive(entry);
          continue;
        }
        await this.follow(entry);
        const alive = entry.child || (entry.process !== null && this.isOurs(entry.process, entry));
        if (alive) {
          lanes.occupy(entry.job, phaseOf(entry.job, entry.parted));
          this.holdDrive(entry);
          continue;
        }
        await this.follow(entry); // its last words, written between the first look and its end
        this.freeDrive(entry);
        if (!isOver(entry.state) && entry.state.state === 'running')
          this.orHeld(entry, () => {
            this.interrupted(entry);
          });
      }
      for (const entry of this.entries.values()) {
        if (entry.state.state !== 'waiting' && entry.state.state !== 'interrupted') continue;
        if (entry.child || (entry.process && this.isOurs(entry.process, entry))) continue;
        if (entry.notBefore > Date.now()) continue;
        const phase = phaseOf(entry.job, entry.parted);
        if (lanes.take(entry.job, phase))
          this.orHeld(entry, () => {
            this.requireRoom();
            this.launch(entry, phase);
          });
      }
    } catch (error) {
      console.error(`queue: ${toProblem(error).message}`);
    } finally {
      this.busy = false;
    }
  }

  /** The runner of this very job: whatever else has that number is none of ours. */
  private isOurs(id: ProcessId, { folder }: Entry): boolean {
    return isCommand(id, [this.runner, folder]);
  }

  /** What a job does is written into its folder; without room for that it would be begun again and again. @throws WorkError `data-full`. */
  private requireRoom(): void {
    const { bavail, bsize } = statfsSync(this.root);
    if (bavail * bsize < LEAST_ROOM) throw new WorkError('data-full', 'There is no room for the journal of this job');
  }

  /** One job that can not be gone on with holds up no other: the reason is shown, and it is tried again, less and less often. */
  private orHeld(entry: Entry, act: () => void): void {
    try {
      act();
      entry.held = 0;
      entry.notBefore = 0;
    } catch (error) {
      const full =
        error instanceof WorkError ? error : new WorkError('data-full', `Its journal can not be written: ${toProblem(error).message}`);
      entry.notBefore = Date.now() + Math.min(LONGEST_HOLD_MS, FIRST_HOLD_MS * 2 ** entry.held++);
      entry.process = null;
      entry.state = {
        ...entry.state,
        state: entry.state.state === 'running' ? 'interrupted' : entry.state.state,
        rate: null,
        problem: toProblem(full),
      };
      this.send(entry);
    }
  }

  private interrupted(entry: Entry): void {
    entry.process = null;
    if (existsSync(path.join(entry.folder, 'cancel'))) {
      void removeWorkshop(entry.job.storage.path, entry.job.id).catch(() => undefined);
      new JobFolder(entry.folder).cancelled();
    } else if (entry.state.attempts >= MAX_ATTEMPTS) {
      new JobFolder(entry.folder).emit({
        type: 'failed',
        problem: toProblem(new WorkError('runner-died', `The runner ended ${String(entry.state.attempts)} times without a word`)),
      });
    } else {
      new JobFolder(entry.folder).emit({ type: 'interrupted' });
      void this.follow(entry);
    }
  }

  private holdDrive(entry: Entry): void {
    const { source } = entry.job;
    const reads = !entry.parted && (entry.state.stage === null || entry.state.stage === 'master' || phaseOf(entry.job, false) === 'both');
    if (source.kind !== 'drive' || !reads) this.freeDrive(entry);
    else entry.drive ??= this.drives.use(source.drive);
  }

  private freeDrive(entry: Entry): void {
    entry.drive?.done();
    entry.drive = null;
  }

  /** Starts a runner that goes on whatever happens to the engine. */
  private launch(entry: Entry, phase: Phase): void {
    const log = openSync(path.join(entry.folder, 'log.txt'), 'a');
    try {
      const child = spawn(
        process.execPath,
        [...RUNNER_FLAGS, this.runner, entry.folder, ...(phase === 'reading' ? ['--until-read'] : [])],
        {
          detached: true,
          stdio: ['ignore', log, log],
        },
      );
      entry.child = true;
      child.on('error', () => {
        entry.child = false;
      });
      child.on('exit', () => {
        entry.child = false;
        entry.process = new JobFolder(entry.folder).runner; // another, where one had the job already
        void this.tick();
      });
      child.unref();
      if (child.pid !== undefined) {
        entry.process = identify(child.pid);
      }
      entry.state = { ...entry.state, state: 'running', problem: null };
      this.send(entry);
    } finally {
      closeSync(log);
    }
  }
}
