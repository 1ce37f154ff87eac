import { readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import {
  JobSourceSchema,
  JobStateSchema,
  RecipesSchema,
  isOver,
  storagesOf,
  toProblem,
  WorkError,
  type Job,
  type JobEvent,
  type JobState,
  type Problem,
} from '@/contract';
import { JobFolder } from '@/node/job-folder';
import type { ProcessId } from '@/node/process-id';
import { EventFollower } from './follower';
import { foldJob, newFolded, type Folded } from './job-state';
import { phaseOf, type Phase } from './lanes';
import { claimOf, type Claim } from './names';
import { Waiting } from './obstacles';

/** What the queue needs of an order. The whole, with the reading of its disc, is in the job's folder: thousands of them are not kept in memory. */
const OrderSchema = z.object({
  id: z.string(),
  storages: z
    .array(z.object({ path: z.string(), name: z.string() }))
    .min(1)
    .readonly(),
  source: JobSourceSchema,
  recipes: RecipesSchema,
  claim: z.object({ label: z.string(), keys: z.array(z.string()).readonly() }),
});
type KeptOrder = z.infer<typeof OrderSchema>;

/** A job that has ended, so that a start need not read its order and its journal; true for as long as the journal has this size. */
const EndedSchema = z.object({
  /** Version 1 knew one storage: such a job is read from its order. */
  version: z.literal(2),
  journalBytes: z.number(),
  order: OrderSchema,
  state: JobStateSchema,
  parted: z.boolean(),
});
const ENDED = 'ended.json';

const orderOf = (job: Job): KeptOrder => ({
  id: job.id,
  storages: storagesOf(job).map(({ path: place, name }) => ({ path: place, name })),
  source: job.source,
  recipes: job.reel.recipes,
  claim: claimOf(job),
});

/** A job that waits has nobody who would write into its journal but the engine; that an earlier one had just begun a runner for it is seen so soon, milliseconds. */
const QUIET_LOOK_MS = 60_000;

/** How long a job waits that can not be gone on with, at first and at last. */
const FIRST_HOLD_MS = 1000;
const LONGEST_HOLD_MS = 60_000;

type EventBody = Parameters<JobFolder['emit']>[0];

/**
 * One job of the queue: what its events say of it, and what is true only for now (whether a runner lives, what is in its way and can
 * not be written down). The events are the only thing that a restart needs.
 */
export class JobRecord {
  readonly journal: JobFolder;
  process: ProcessId | null;
  /** A runner of this engine that has not been seen to end. */
  isChild = false;
  /** Its order is being written anew: it is not begun meanwhile. */
  isBeingChanged = false;
  /** It was said that its results are in the library. */
  isAnnounced = false;
  /** How long its stages took is known. */
  isLearned = false;
  /** Runners, one after the other, that ended without a word. */
  stillborn = 0;
  drive: { readonly done: () => void } | null = null;
  /** What it waits for; another with every stop. */
  waiting = new Waiting();
  private readonly follower: EventFollower;
  private following: Promise<boolean> = Promise.resolve(false);
  private obstacle: Problem | null = null;
  private quietUntil = 0;
  private notBefore = 0;
  private holds = 0;

  private constructor(
    private kept: KeptOrder,
    readonly folder: string,
    private folded: Folded,
    journalBytes: number,
  ) {
    this.journal = new JobFolder(folder);
    this.follower = new EventFollower(path.join(folder, 'events.ndjson'), journalBytes);
    this.process = isOver(folded.state) ? null : this.journal.runner;
    this.isAnnounced = folded.state.state === 'done';
    this.isLearned = isOver(folded.state);
  }

  get order(): KeptOrder {
    return this.kept;
  }

  /** Its order was written anew. */
  reordered(job: Job): void {
    this.kept = orderOf(job);
  }

  static of(job: Job, folder: string): JobRecord {
    return new JobRecord(orderOf(job), folder, newFolded(job), 0);
  }

  /** Reads what its folder says. @throws WorkError `order-lost`, `too-new`. */
  static async open(folder: string): Promise<JobRecord> {
    const ended = readEnded(folder);
    if (ended)
      return new JobRecord(
        ended.order,
        folder,
        { state: ended.state, parted: ended.parted, cancelAskedAt: null, starts: 0, last: null, stageBegan: null },
        ended.journalBytes,
      );
    const record = JobRecord.of(new JobFolder(folder).readJob(), folder);
    await record.follow();
    record.waiting = new Waiting(true);
    record.isAnnounced = record.told.state === 'done';
    record.isLearned = record.isOver;
    return record;
  }

  /** As its events have it. */
  get told(): JobState {
    return this.folded.state;
  }

  /** As it is shown: one whose journal can not be written says so all the same. */
  get state(): JobState {
    const { told, obstacle } = this;
    if (!obstacle || isOver(told)) return told;
    return { ...told, state: told.state === 'running' ? 'interrupted' : told.state, rate: null, problem: obstacle };
  }

  get isOver(): boolean {
    return isOver(this.told);
  }

  /** Nobody works on it, as far as is known, and it was looked at not long ago. With thousands that wait, looking is what costs. */
  get isQuiet(): boolean {
    if (this.process !== null || this.isChild || this.told.state === 'running') return false;
    const now = Date.now();
    if (now < this.quietUntil) return true;
    // Not all of them at once.
    this.quietUntil = now + QUIET_LOOK_MS * (0.5 + Math.random());
    return false;
  }

  get parted(): boolean {
    return this.folded.parted;
  }

  /** When the user wanted it stopped, which it is not yet; milliseconds of the clock, or null. */
  get cancelAskedAt(): number | null {
    return this.folded.cancelAskedAt;
  }

  /** Runners that have said that they are there. */
  get starts(): number {
    return this.folded.starts;
  }

  get phase(): Phase {
    return phaseOf(this.order, this.folded.parted, this.told.stage);
  }

  /** It reads its disc now, or will when it goes on. */
  get reads(): boolean {
    const { stage } = this.told;
    return !this.parted && (stage === null || stage === 'master');
  }

  /** Storages in which unfinished files of it can stand. */
  get workPlaces(): readonly { readonly path: string }[] {
    const { broughtFrom } = this.journal.readProgress();
    return broughtFrom ? [...this.order.storages, broughtFrom] : this.order.storages;
  }

  get claim(): Claim {
    return this.order.claim;
  }

  /** Is it to be begun, as far as it is up to itself? */
  get isDue(): boolean {
    const { state, paused, startAt } = this.told;
    if (this.isOver || this.isBeingChanged || state === 'running' || paused) return false;
    return this.notBefore <= Date.now() && (startAt === null || Date.parse(startAt) <= Date.now());
  }

  /** Takes in what was written since; one after the other, or two that ask at once would take the same lines in twice. @returns whether it changed anything that is shown. */
  follow(): Promise<boolean> {
    const next = this.following.then(async () => this.take(await this.follower.read()));
    this.following = next.catch(() => false);
    return next;
  }

  private take(events: readonly JobEvent[]): boolean {
    const before = this.folded.state;
    for (const event of events) this.folded = foldJob(this.folded, event);
    if (events.some((e) => e.type === 'held' || e.type === 'changed')) this.waiting = new Waiting();
    if (this.isOver && events.length > 0) this.keepEnded();
    return this.folded.state !== before;
  }

  /** A convenience for the next start. */
  private keepEnded(): void {
    const { order, folded, follower } = this;
    const file = path.join(this.folder, ENDED);
    try {
      writeFileSync(
        `${file}.new`,
        JSON.stringify({ version: 2, journalBytes: follower.taken, order, state: folded.state, parted: folded.parted }),
      );
      renameSync(`${file}.new`, file);
    } catch {
      // no room: the next start reads the journal
    }
  }

  /** Writes a decision down, and takes it in from there. @throws WorkError `data-full`, system errors: nothing was decided then. */
  async decide(event: EventBody): Promise<void> {
    this.journal.emit(event);
    await this.follow();
  }

  /** Something is in its way that can not be written down: shown for as long as it is, and tried again less and less often. */
  hold(error: unknown): void {
    const full =
      error instanceof WorkError ? error : new WorkError('data-full', `Its journal can not be written: ${toProblem(error).message}`);
    this.obstacle = toProblem(full);
    this.notBefore = Date.now() + Math.min(LONGEST_HOLD_MS, FIRST_HOLD_MS * 2 ** this.holds++);
  }

  unhold(): void {
    this.obstacle = null;
    this.holds = 0;
    this.notBefore = 0;
  }
}

function readEnded(folder: string): z.infer<typeof EndedSchema> | null {
  try {
    const ended = EndedSchema.parse(JSON.parse(readFileSync(path.join(folder, ENDED), 'utf8')));
    const isWhole = statSync(path.join(folder, 'events.ndjson')).size === ended.journalBytes && isOver(ended.state);
    return isWhole && ended.order.id === path.basename(folder) && ended.state.id === ended.order.id ? ended : null;
  } catch {
    return null; // it has not ended, or the file is torn
  }
}
