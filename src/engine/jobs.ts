import { randomBytes } from 'node:crypto';
import { readdirSync, rmSync, statSync, statfsSync } from 'node:fs';
import path from 'node:path';
import { speedsOf, type StageSpeeds } from '@/core/queue';
import {
  JOB_ID,
  QUEUE_SETTINGS,
  JOB_VERSION,
  JobSchema,
  WorkError,
  byRank,
  isChangeable,
  toProblem,
  type Arrange,
  type ChangeWish,
  type Job,
  type JobEvent,
  type JobSource,
  type JobState,
} from '@/contract';
import { makeFolderDurably, writeDurably } from '@/node/durable';
import { removeWorkshop } from '@/node/library';
import type { EngineConfig } from './config';
import type { Drives } from './drives';
import type { Encoders } from './encoders';
import { EventFollower } from './follower';
import type { Hub } from './hub';
import { JobRecord } from './job-record';
import { lostJobState } from './job-state';
import { Lanes } from './lanes';
import { changeOrder } from './change-order';
import { arrangeJobs, type Arranged } from './arrange-jobs';
import type { PaceBook } from './pace-book';
import type { QueueRules } from './queue-rules';
import { Names, type Claim } from './names';
import { placeOrder, type OrderWish } from './new-order';
import type { Runners } from './runners';
import type { Storages } from './storages';

const POLL_MS = 250;
/** Where nothing runs and nothing can be begun, only the clock can change that, or somebody who says so: it is looked at every other second. */
const RESTING_TURNS = 8;
/** Of the data folder, for journals of a job. */
const LEAST_ROOM = 1024 * 1024;
/** How long a runner may take to stop. One that hangs in a source or a storage that does not answer is then killed, and soon after not waited for. */
const STOPS_MS = 10_000;
const DIES_MS = 15_000;
/** How often it is looked whether a runner that has said its last word is gone. */
const LEAVES_MS = 50;
/** A job whose runner dies this often is left for the user. */
const MAX_ATTEMPTS = 3;

interface Surroundings {
  readonly config: Pick<EngineConfig, 'dataFolder' | 'storages'>;
  readonly runners: Runners;
  readonly drives: Pick<Drives, 'use' | 'isUsed' | 'lacks' | 'content'>;
  readonly storages: Pick<Storages, 'known' | 'isAway' | 'hasRoom'>;
  readonly encoders?: Pick<Encoders, 'require' | 'hardware'>;
  readonly hub: Pick<Hub, 'send'>;
  /** What holds for the whole queue; none for the usual. */
  readonly rules?: Pick<QueueRules, 'current'>;
  /** What jobs show of the time that work takes. */
  readonly pace?: Pick<PaceBook, 'learn'>;
  /** Something was put into the library. */
  readonly finished: () => void;
}

/**
 * The queue. It has no database: a job is a folder, its state follows from its events, and a runner goes on without the
 * engine. After a restart the folders are read again and runners that still live are followed as before.
 */
export class Jobs {
  private readonly records = new Map<string, JobRecord>();
  private readonly root: string;
  private readonly names = new Names();
  /** Folders of jobs whose order can not be read. */
  private readonly lost = new Map<string, JobState>();
  private timer: NodeJS.Timeout | null = null;
  private isResting = false;
  private looking: Promise<void> | null = null;

  constructor(private readonly around: Surroundings) {
    this.root = path.join(around.config.dataFolder, 'jobs');
  }

  /** Reads the job folders that are there, and begins to work. */
  async start(): Promise<void> {
    await this.read();
    let turn = 0;
    this.timer = setInterval(() => {
      if (!this.isResting || ++turn % RESTING_TURNS === 0) void this.look();
    }, POLL_MS);
    await this.look();
  }

  /** Takes in what the job folders say. Nothing is begun. */
  async read(): Promise<void> {
    for (const name of readdirSync(this.root).sort()) {
      const folder = path.join(this.root, name);
      try {
        const record = await JobRecord.open(folder);
        this.records.set(record.order.id, record);
      } catch (error) {
        const problem = toProblem(error);
        console.error(`job folder ${name} can not be used: ${problem.message}`);
        const since = statSync(folder, { throwIfNoEntry: false })?.mtime ?? new Date();
        // A folder of another name is none of ours.
        if (JOB_ID.test(name)) this.lost.set(name, lostJobState(name, since.toISOString(), problem));
      }
    }
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  states(): JobState[] {
    return [...this.lost.values(), ...[...this.records.values()].map((r) => r.state)];
  }

  /** What jobs that are not over will put into the library, and failed ones, which may be tried again. */
  private claimsOfOthers(than: JobRecord | null): Claim[] {
    const holds = (r: JobRecord) => r !== than && (!r.isOver || r.told.state === 'failed');
    return [...this.records.values()].filter(holds).map((r) => r.claim);
  }

  /**
   * Takes a job into the queue.
   * @throws WorkError and DiscError for whatever can be known before it starts.
   */
  submit(
    wish: OrderWish,
    source: JobSource,
    soundFiles: readonly string[] = [],
    origin: Job['origin'] = null,
  ): Promise<{ jobId: string; fileName: string }> {
    const { config, storages, encoders } = this.around;
    const hold = (claim: Claim) => this.names.hold(claim, this.claimsOfOthers(null));
    return placeOrder(wish, { configured: config.storages, storages, encoders, hold }, (ordered) =>
      this.takeIn({ ...ordered, source, soundFiles: [...soundFiles], origin, hardware: encoders?.hardware ?? [] }),
    );
  }

  /** A job of its own folder. Where that can not be written, nothing of it stays behind. @throws WorkError `data-full`. */
  private takeIn(job: Omit<Job, 'version' | 'id' | 'createdAt'>): { jobId: string; fileName: string } {
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
    const record = JobRecord.of(whole, jobFolder);
    this.records.set(id, record);
    this.send(record);
    void this.look();
    return { jobId: id, fileName: job.fileName };
  }

  /** Decides about jobs that are in the queue, each by itself: of those that can not be, it is said why. */
  async arrange(wish: Arrange): Promise<Arranged> {
    const arranged = await arrangeJobs(this, this.around.runners, wish);
    await this.look();
    return arranged;
  }

  /** Jobs that are not over. */
  get open(): JobRecord[] {
    return [...this.records.values()].filter((r) => !r.isOver);
  }

  /** @throws WorkError `not-known`. */
  find(id: string): JobRecord {
    const record = this.records.get(id);
    if (!record) throw new WorkError('not-known', 'There is no such job');
    return record;
  }

  /** Stops a job; nothing that looks finished stays behind. */
  async cancel(id: string): Promise<void> {
    const record = this.find(id);
    if (record.isOver) return;
    await record.decide({ type: 'cancel-asked' });
    if (record.process && this.isAtWork(record)) this.around.runners.stop(record.process);
    else await this.endCancelled(record);
    await this.look();
  }

  private async endCancelled(record: JobRecord): Promise<void> {
    for (const { path: place } of record.workPlaces) await removeWorkshop(place, record.order.id).catch(() => undefined);
    record.journal.forgetProgress();
    await record.decide({ type: 'cancelled' });
    this.send(record);
  }

  /**
   * Puts a failed or cancelled job into the queue again; it goes on from the last finished stage.
   * @param around where the disc is not whole, with what there is.
   */
  async retry(id: string, around = false): Promise<void> {
    const record = this.find(id);
    const { state, problem } = record.told;
    if (state !== 'failed' && state !== 'cancelled') return;
    record.journal.readJob(); // it may be lost meanwhile: that too is said now
    // Its names may have gone to another job meanwhile: that is said now, not after all the work.
    this.names.hold(record.claim, this.claimsOfOthers(record))();
    // Another try of the same disc: what was read of it before is not gone on with.
    if (!around && problem?.code === 'not-whole') record.journal.forgetProgress();
    await record.decide({ type: 'retried', around });
    this.send(record);
    await this.look();
  }

  /**
   * Tries a job again, changed, that failed, was cancelled, or waits for what may never come. What was finished and is still wanted is
   * not done again.
   * @throws WorkError `not-known`, and whatever can be known before it starts: nothing is changed then.
   */
  async change(id: string, wish: ChangeWish): Promise<void> {
    const record = this.find(id);
    if (record.isBeingChanged) throw new WorkError('bad-request', 'This job is being changed already');
    record.isBeingChanged = true;
    try {
      await this.untilLeft(record);
      const hold = (claim: Claim) => this.names.hold(claim, this.claimsOfOthers(record));
      await changeOrder(record, wish, { storages: this.around.storages, encoders: this.around.encoders, hold });
    } finally {
      record.isBeingChanged = false;
    }
    this.send(record);
    if (record.isOver) await this.retry(id);
    else await this.look();
  }

  /** A runner says how a job came to a stop, and is gone a moment later; on a busy machine, seconds later. @throws WorkError `bad-request`. */
  private async untilLeft(record: JobRecord): Promise<void> {
    const end = Date.now() + STOPS_MS;
    for (;;) {
      const isLeft = !this.isAtWork(record);
      if (!isChangeable(record.told) || (!isLeft && Date.now() > end)) throw new WorkError('bad-request', 'This job is at work, or done');
      if (isLeft) return;
      await new Promise((resolve) => setTimeout(resolve, LEAVES_MS));
      await this.follow(record);
    }
  }

  /** Takes an ended job off the list. What it made stays. */
  async forget(id: string): Promise<void> {
    const record = this.lost.has(id) ? null : this.find(id);
    if (record && !record.isOver) throw new WorkError('bad-request', 'This job is not over: cancel it first');
    const places = record ? record.workPlaces : this.around.config.storages;
    for (const { path: place } of places) await removeWorkshop(place, id).catch(() => undefined);
    if (record) this.freeDrive(record); // it may have ended since the last look at it
    rmSync(path.join(this.root, id), { recursive: true, force: true });
    this.lost.delete(id);
    this.records.delete(id);
    this.around.hub.send({ type: 'job-gone', id });
  }

  async log(id: string): Promise<{ events: JobEvent[]; speeds: StageSpeeds[] }> {
    const events = await new EventFollower(path.join(this.find(id).folder, 'events.ndjson')).read();
    return { events: events.filter((e) => e.type !== 'progress'), speeds: speedsOf(events) };
  }

  send(record: JobRecord): void {
    this.around.hub.send({ type: 'job', job: record.state });
    if (record.isOver && !record.isLearned) this.around.pace?.learn(record.told.took);
    record.isLearned = record.isOver;
    // Of one that failed there may be results as well: what was proven before that.
    const { state, files } = record.told;
    const hasResults = state === 'done' || (record.isOver && files.length > 0);
    if (record.isAnnounced === hasResults) return;
    record.isAnnounced = hasResults;
    if (!hasResults) return;
    this.around.finished();
  }

  isAtWork(record: JobRecord): boolean {
    return record.isChild || (record.process !== null && this.around.runners.isAtWork(record.process, record.folder));
  }

  /** Takes in what the runner has written since. */
  private async follow(record: JobRecord): Promise<void> {
    if (await record.follow()) this.send(record);
  }

  /** Looks after all jobs once: what they have written, who still lives, what can be begun. */
  look(): Promise<void> {
    this.looking ??= this.lookOnce().finally(() => {
      this.looking = null;
    });
    return this.looking;
  }

  private async lookOnce(): Promise<void> {
    try {
      const rules = this.around.rules?.current ?? QUEUE_SETTINGS;
      const lanes = new Lanes(rules.encodeLanes);
      const idle: JobRecord[] = [];
      let atWork = 0;
      for (const record of this.records.values()) {
        if (record.isOver) this.freeDrive(record);
        else if (!record.isQuiet && (await this.attend(record))) {
          atWork++;
          if (record.told.paused) lanes.occupyPaused(record.order, record.phase);
          else lanes.occupy(record.order, record.phase);
        } else if (!record.isOver) idle.push(record);
      }
      const due = idle.filter((r) => r.isDue && (!rules.held || r.cancelAskedAt !== null));
      due.sort((a, b) => byRank(a.told, b.told));
      this.isResting = atWork === 0 && due.length === 0;
      for (const record of due) await this.orHeld(record, () => this.begin(record, lanes));
    } catch (error) {
      console.error(`queue: ${toProblem(error).message}`);
    }
  }

  /** Looks after a job that is not over. @returns whether somebody works on it. */
  private async attend(record: JobRecord): Promise<boolean> {
    await this.follow(record);
    if (this.isAtWork(record)) {
      const waited = record.cancelAskedAt === null ? 0 : Date.now() - record.cancelAskedAt;
      if (waited > STOPS_MS && record.process) this.around.runners.stop(record.process, true);
      if (waited > DIES_MS) {
        record.isChild = false;
        await this.orHeld(record, () => this.endCancelled(record));
        return false;
      }
      this.holdDrive(record);
      // What was decided while no engine was there, or by one that died before it could say so.
      if (record.process && record.cancelAskedAt === null) this.around.runners[record.told.paused ? 'pause' : 'goOn'](record.process);
      return true;
    }
    await this.follow(record); // its last words, written between the first look and its end
    this.freeDrive(record);
    if (!record.isOver && record.told.state === 'running') await this.orHeld(record, () => this.interrupted(record));
    else record.process = null;
    return false;
  }

  /** Starts a job that waits, where there is a lane for it. */
  private async begin(record: JobRecord, lanes: Lanes): Promise<void> {
    if (record.cancelAskedAt !== null) {
      await this.endCancelled(record);
      return;
    }
    const obstacle = await record.waiting.obstacle(record, this.around);
    if (obstacle) {
      if (obstacle !== 'as said') await this.waitFor(record, obstacle);
      return;
    }
    const { phase } = record;
    // Two that read one disc in turn wear out its drive, and both are slow: the one that came first is waited for.
    const { source } = record.order;
    if (phase === 'reading' && source.kind === 'drive' && this.around.drives.isUsed(source.drive)) return;
    // Whoever changes it may have come while its obstacles were looked at.
    if (record.isBeingChanged || !lanes.take(record.order, phase)) return;
    this.requireRoom();
    const { starts } = record;
    record.process = this.around.runners.launch(
      record.folder,
      phase !== 'encoding',
      () => {
        void this.ended(record, starts);
      },
      this.around.rules?.current.background,
    );
    record.isChild = record.process !== null;
  }

  /** A runner of this engine is gone. One that never said a word is not started for ever. */
  private async ended(record: JobRecord, startsBefore: number): Promise<void> {
    record.isChild = false;
    record.process = record.journal.runner; // another, where one had the job already
    await this.follow(record);
    const { state } = record.told;
    // Attempts begin anew with every decision, which may be taken before this is heard: what was started is not forgotten.
    if (record.starts === startsBefore && state === 'waiting' && !record.told.problem && !this.isAtWork(record)) record.stillborn++;
    else record.stillborn = 0;
    if (record.stillborn >= MAX_ATTEMPTS)
      await this.orHeld(record, () => this.fail(record, 'The runner ended before it said a word: its log says why'));
    await this.look();
  }

  private async fail(record: JobRecord, message: string): Promise<void> {
    record.stillborn = 0;
    await record.decide({ type: 'failed', problem: toProblem(new WorkError('runner-died', message)) });
    this.send(record);
  }

  private async waitFor(record: JobRecord, obstacle: WorkError): Promise<void> {
    if (record.told.problem?.code === obstacle.code) return; // said before
    await record.decide({ type: 'held', problem: toProblem(obstacle) });
    this.send(record);
  }

  /** What a job does is written into its folder; without room for that it would be begun again and again. @throws WorkError `data-full`. */
  private requireRoom(): void {
    const { bavail, bsize } = statfsSync(this.root);
    if (bavail * bsize < LEAST_ROOM) throw new WorkError('data-full', 'There is no room for the journal of this job');
  }

  /** One job that can not be gone on with holds up no other: the reason is shown, and it is tried again, less and less often. */
  private async orHeld(record: JobRecord, act: () => Promise<void>): Promise<void> {
    try {
      await act();
      record.unhold();
    } catch (error) {
      record.hold(error);
      this.send(record);
    }
  }

  private async interrupted(record: JobRecord): Promise<void> {
    // What it had begun stands still with it, and must notice that it is gone.
    if (record.told.paused && record.process) this.around.runners.goOn(record.process);
    record.process = null;
    if (record.cancelAskedAt !== null) {
      await this.endCancelled(record);
      return;
    }
    const { attempts } = record.told;
    if (attempts >= MAX_ATTEMPTS) {
      await this.fail(record, `The runner ended ${attempts} times without a word`);
      return;
    }
    await record.decide({ type: 'interrupted' });
    this.send(record);
  }

  private holdDrive(record: JobRecord): void {
    const { source } = record.order;
    if (source.kind !== 'drive' || !record.reads) this.freeDrive(record);
    else record.drive ??= this.around.drives.use(source.drive);
  }

  private freeDrive(record: JobRecord): void {
    record.drive?.done();
    record.drive = null;
  }
}
