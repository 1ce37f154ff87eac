import path from 'node:path';
import { toProblem, WorkError, type Job, type JobEvent, type JobState, type Problem } from '@/contract';
import { JobFolder } from '@/node/job-folder';
import type { ProcessId } from '@/node/process-id';
import { EventFollower } from './follower';
import { foldJob, isOver, newFolded, type Folded } from './job-state';
import { phaseOf, type Phase } from './lanes';
import type { Wanted } from './names';

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
  /** It was said that its results are in the library. */
  isAnnounced = false;
  /** Runners, one after the other, that ended without a word. */
  stillborn = 0;
  drive: { readonly done: () => void } | null = null;
  private folded: Folded;
  private readonly follower: EventFollower;
  private following: Promise<boolean> = Promise.resolve(false);
  private obstacle: Problem | null = null;
  private notBefore = 0;
  private holds = 0;

  constructor(
    readonly job: Job,
    readonly folder: string,
  ) {
    this.journal = new JobFolder(folder);
    this.follower = new EventFollower(path.join(folder, 'events.ndjson'));
    this.folded = newFolded(job);
    this.process = this.journal.runner;
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

  get parted(): boolean {
    return this.folded.parted;
  }

  get cancelAsked(): boolean {
    return this.folded.cancelAsked;
  }

  get phase(): Phase {
    return phaseOf(this.job, this.folded.parted);
  }

  /** It reads its disc now, or will when it goes on. */
  get reads(): boolean {
    const { stage } = this.told;
    return !this.parted && (stage === null || stage === 'master' || phaseOf(this.job, false) === 'both');
  }

  get wanted(): Wanted {
    const { storage, folder, fileName, reel } = this.job;
    return { storage: storage.path, folder, fileName, reel };
  }

  /** Is it to be begun, as far as it is up to itself? */
  get isDue(): boolean {
    return !this.isOver && this.told.state !== 'running' && this.notBefore <= Date.now();
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
    return this.folded.state !== before;
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
