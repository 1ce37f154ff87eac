import { FAULT_WEIGHTS, damageOf, wholenessText } from '@/core/reading';
import type { MasterPromise } from '@/core/proof';
import { WorkError, storagesOf, toProblem, type Job, type Stage } from '@/contract';
import { MASTER, type RecipeId } from '@/core/recipes';
import { removeWorkshops, requireRoomFor, roomTaken } from '@/node/library';
import { QuotaWatch } from '@/node/simulated-share';
import { masterBytesThere, type JobFolder } from '@/node/job-folder';
import {
  checkCopy,
  checkMaster,
  forgetCopy,
  forgetMaster,
  forgetPieces,
  isMasterThere,
  isStill,
  makeCopy,
  makeMaster,
  place,
  type StageContext,
} from './stages';
import { bringMaster, forgetBrought } from './bring';
import { obstacleOf } from './obstacle';

/** What the user has chosen for this job since it was sent. */
const withChoice = (job: Job, around: boolean): Job => (around ? { ...job, reel: { ...job.reel, damage: 'around' } } : job);

/**
 * What was read must be all that the disc says there is, unless the archivist wants what there is.
 * @throws WorkError `not-whole`: what was made is kept for that choice, and nothing of it reaches the library before it.
 */
function requireWhole(promise: MasterPromise, job: Job): MasterPromise {
  const { wholeness } = promise;
  if (!wholeness || wholeness.damage === 0 || job.reel.damage === 'around') return { ...promise, around: job.reel.damage === 'around' };
  const faults = wholeness.faults.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage');
  throw new WorkError('not-whole', `The disc is not whole: ${wholenessText(faults)}`);
}

/**
 * The promise with what is known of the disc. Of a master in the library that was decided when it was made; that what was read is that
 * master is looked at with the proof of each copy. @throws WorkError `not-whole`.
 */
function settled(promise: MasterPromise, job: Job): MasterPromise {
  if (!job.origin) return requireWhole(promise, job);
  const { wholeness, around } = job.origin;
  return { ...promise, wholeness, around };
}

/** Progress lines a second at the most: events are for people and for the journal, not for packets. */
const EVENT_INTERVAL_MS = 250;

/** What a stage says goes into the job's journal, progress not more often than anybody reads. */
function contextOf(
  folder: JobFolder,
  job: Job,
  signal: AbortSignal,
): StageContext & { readonly begin: (stage: Stage, copy?: RecipeId) => void; readonly quiet: () => void } {
  let last = 0;
  let latest: Parameters<JobFolder['emit']>[0] | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;
  // What came too soon after another is said when its time has come: a drive that stalls is shown where it stands.
  const say = () => {
    clearTimeout(timer);
    timer = undefined;
    if (!latest) return;
    last = performance.now();
    folder.emit(latest);
    latest = null;
  };
  const quiet = () => {
    latest = null;
    clearTimeout(timer);
    timer = undefined;
  };
  return {
    quiet,
    job,
    signal,
    begin: (stage, copy) => {
      quiet();
      last = 0;
      folder.emit({ type: 'stage', stage, ...(copy === undefined ? {} : { copy }) });
    },
    note: (text) => {
      folder.emit({ type: 'note', text });
    },
    found: (wholeness) => {
      const stretches = damageOf(wholeness.faults, (kind) => FAULT_WEIGHTS[kind] === 'damage');
      folder.emit({ type: 'found', places: wholeness.count, damaged: wholeness.damage, stretches });
    },
    progress: (stage, done, total, unit) => {
      latest = { type: 'progress', stage, done, total, unit };
      const wait = last + EVENT_INTERVAL_MS - performance.now();
      if (wait <= 0 || done >= total) say();
      else timer ??= setTimeout(say, wait).unref();
    },
  };
}

type Progress = ReturnType<JobFolder['readProgress']>;

/** One job on its way through its stages: what is finished is written down, and not done again. */
class JobRun {
  progress: Progress;
  private readonly context: ReturnType<typeof contextOf>;
  private readonly copies: readonly RecipeId[];

  constructor(
    private readonly folder: JobFolder,
    private readonly job: Job,
    signal: AbortSignal,
  ) {
    this.progress = folder.readProgress();
    this.context = contextOf(folder, job, signal);
    this.copies = job.reel.recipes.filter((r) => r !== MASTER);
  }

  /** Is it finished, and written down as such? */
  isDone(stage: Stage): boolean {
    return this.progress.finished.includes(stage);
  }

  private save(stage: Stage, change: Partial<Progress>): void {
    this.progress = { ...this.progress, ...change, finished: [...new Set([...this.progress.finished, stage])] };
    this.folder.writeProgress(this.progress);
  }

  /** @returns false where it stops because the disc is no longer needed, and encoding is still to come. @throws what a stage throws. */
  async toItsEnd(untilRead: boolean): Promise<boolean> {
    const { job } = this;
    await requireRoomFor(job, await roomTaken(job, masterBytesThere(this.progress)));
    if (this.progress.broughtFrom) await this.bring(this.progress.broughtFrom);
    await this.master();
    if (untilRead && this.copies.some((copy) => !this.copy(copy))) {
      this.folder.emit({ type: 'parted' });
      return false;
    }
    for (const copy of this.copies) {
      this.at = copy;
      await this.makeCopy(copy);
    }
    this.at = null;
    this.context.begin('placing');
    const files = await place(this.context, this.results(), this.progress.beside);
    this.folder.emit({ type: 'finished', files });
    return true;
  }

  /** Goes to another storage than at first: the master that is finished is taken along, and proven anew where it stands then. */
  private async bring(from: Job['storage']): Promise<void> {
    const { job, context } = this;
    const { masterBytes, beside } = this.progress;
    if (from.path === job.storage.path) {
      // The job was to go elsewhere, and the order for that was never written.
      this.progress = { ...this.progress, broughtFrom: null };
      return;
    }
    context.begin('master proof');
    const isHere = masterBytes !== null && (await bringMaster(context, from, { masterBytes, beside }));
    context.note(
      isHere
        ? `the master was taken along from “${from.name}”, and is proven here anew`
        : `what was made before can not be had from “${from.name}” any more: all of it is made again`,
    );
    const anew = { ...this.progress, broughtFrom: null, masterProof: null, masterDigest: null, masterStamp: null };
    this.progress = isHere ? { ...anew, finished: ['master'] } : { ...anew, finished: [], copies: [] };
    // Before it is noted: afterwards nobody would know of what stands there.
    await forgetBrought(job, from).catch(() => undefined);
    this.folder.writeProgress(this.progress);
  }

  private async master(): Promise<void> {
    const { job, context } = this;
    // What was proven before may be in its place already: then nothing but copies is made.
    const isToBeRead = this.copies.some((copy) => !this.copy(copy)?.proof);
    if (this.isDone('master proof') && isToBeRead && !(await isMasterThere(job, this.progress.masterBytes)))
      this.progress = { ...this.progress, finished: [], copies: [] };
    const placing = this.isDone('master proof');
    if (!placing && this.isDone('master') && !(await isStill(job, 'master', this.progress.masterBytes)))
      this.progress = { ...this.progress, finished: [], copies: [] };
    if (!this.isDone('master')) {
      context.begin('master');
      const made = await makeMaster(context);
      this.save('master', { promise: made.promise, masterBytes: made.bytes, beside: [...made.beside] });
    }
    const promise = this.progress.promise && settled(this.progress.promise, job);
    if (!promise) return;
    this.progress = { ...this.progress, promise };
    if (this.isDone('master proof')) return;
    context.begin('master proof');
    const { proof, digest, stamp } = await checkMaster(context, promise);
    this.save('master proof', { masterProof: proof, masterDigest: digest, masterStamp: stamp });
  }

  private copy(recipe: RecipeId): Progress['copies'][number] | null {
    return this.progress.copies.find((c) => c.recipe === recipe) ?? null;
  }

  private saveCopy(copy: Progress['copies'][number]): void {
    const others = this.progress.copies.filter((c) => c.recipe !== copy.recipe);
    this.progress = { ...this.progress, copies: [...others, copy] };
    this.folder.writeProgress(this.progress);
  }

  private async makeCopy(recipe: RecipeId): Promise<void> {
    const { job, context } = this;
    const { promise } = this.progress;
    if (!promise) return;
    const before = this.copy(recipe);
    // What is proven may have got its name already.
    let copy = before && (before.proof || (await isStill(job, recipe, before.bytes))) ? before : null;
    if (!copy) {
      context.begin('access', recipe);
      const pauses = this.folder.pauses;
      const { bytes, expects, tookMs, encoder } = await makeCopy(context, recipe, promise);
      // The clock went on while it stood still.
      const took = this.folder.pauses === pauses ? tookMs : null;
      copy = { recipe, bytes, expects, tookMs: took, encoder, proof: null, digest: null, stamp: null, outcome: null };
      this.saveCopy(copy);
      await forgetPieces(job, recipe);
    }
    if (copy.proof) return;
    context.begin('access proof', recipe);
    const { proof, digest, stamp, outcome } = await checkCopy(
      context,
      recipe,
      copy.expects,
      promise,
      copy.tookMs,
      this.progress.masterDigest,
    );
    this.saveCopy({ ...copy, proof, digest, stamp, outcome });
  }

  /** The copy that is being made or proven. */
  at: RecipeId | null = null;

  /**
   * Of a job that came to a stop at a copy, what is proven gets its place all the same: a master does not wait for a copy that may never be
   * right. @returns the files, none where nothing was proven or it could not be placed.
   */
  async placeProven(error: WorkError | null): Promise<string[]> {
    const { job, context, progress } = this;
    if (!this.isDone('master proof') || this.at === null) return [];
    if (error?.code === 'copy-failed') {
      await forgetCopy(job, this.at);
      this.progress = { ...progress, copies: progress.copies.filter((c) => c.recipe !== this.at) };
      this.folder.writeProgress(this.progress);
    }
    const results = this.results();
    if (results.length === 0) return [];
    try {
      return await place(context, results, this.progress.beside, 'to come');
    } catch (second) {
      context.note(`what was proven could not be placed yet: ${toProblem(second).message}`);
      return [];
    }
  }

  /** Nothing more is said of how far it is: its end is said next. */
  quiet(): void {
    this.context.quiet();
  }

  /** What is proven and goes to its place. */
  private results(): Parameters<typeof place>[1] {
    const { promise, masterProof, masterDigest, masterBytes, masterStamp } = this.progress;
    if (!promise) return [];
    const results: Parameters<typeof place>[1][number][] = [];
    if (this.job.reel.recipes.includes(MASTER) && masterProof && masterDigest && masterBytes !== null)
      results.push({
        recipe: MASTER,
        expects: null,
        outcome: null,
        encoder: null,
        promise,
        proof: masterProof,
        digest: masterDigest,
        bytes: masterBytes,
        stamp: masterStamp,
      });
    for (const id of this.copies) {
      const copy = this.copy(id);
      if (copy?.proof && copy.digest)
        results.push({
          recipe: id,
          expects: copy.expects,
          outcome: copy.outcome,
          encoder: copy.encoder,
          promise,
          proof: copy.proof,
          digest: copy.digest,
          bytes: copy.bytes,
          stamp: copy.stamp,
        });
    }
    return results;
  }
}

/** A job that could not be brought to its end: what is kept of it, and what is said. @returns the exit code. */
async function endFailed(folder: JobFolder, run: JobRun, job: Job, signal: AbortSignal, error: unknown): Promise<number> {
  if (signal.aborted) {
    if (folder.standing !== 'cancel-asked') return 3; // the machine is shut down
    await removeWorkshops(job, run.progress.broughtFrom).catch(() => undefined);
    folder.cancelled();
    return 2;
  }
  const reads = !run.isDone('master');
  // What is not whole is written again: until then its room is others’.
  if (reads && toProblem(error).code === 'storage-full') await forgetMaster(job).catch(() => undefined);
  const obstacle = await obstacleOf(job, error, reads, masterBytesThere(run.progress));
  if (obstacle) {
    folder.emit({ type: 'held', problem: toProblem(obstacle) });
    return 3;
  }
  const found = toProblem(error);
  // The storage is there; what is missing was in it.
  const problem =
    found.code === 'storage-missing'
      ? toProblem(new WorkError('work-lost', 'An unfinished file of this job is gone', { cause: error }))
      : found;
  // A proof that failed leaves nothing to go on with; after other failures the finished stages are kept for a retry.
  const { progress } = run;
  if (
    problem.code === 'proof-failed' ||
    problem.code === 'master-changed' ||
    problem.code === 'work-lost' ||
    (progress.finished.length === 0 && progress.copies.length === 0)
  ) {
    await removeWorkshops(job, progress.broughtFrom).catch(() => undefined);
    folder.writeProgress({ ...progress, finished: [], copies: [], broughtFrom: null });
    folder.emit({ type: 'failed', problem });
    return 1;
  }
  folder.emit({ type: 'failed', problem, files: await run.placeProven(error instanceof WorkError ? error : null) });
  return 1;
}

/**
 * Executes one job to its end. What an earlier runner finished is not done again.
 * @param untilRead stop once the disc is no longer needed, where encoding is still to come: that may have to wait for its turn.
 * @returns the exit code: 0 done, 1 failed, 2 cancelled, 3 stopped and to be gone on with.
 */
export async function runJob(folder: JobFolder, signal: AbortSignal, untilRead = false): Promise<number> {
  const job = withChoice(folder.readJob(), folder.aroundChosen);
  // Decided while this process came to life.
  if (['cancel-asked', 'cancelled', 'failed', 'finished'].includes(folder.standing ?? '')) return 3;
  folder.emit({ type: 'started', pid: process.pid });
  const quotas = await QuotaWatch.over(storagesOf(job));
  const run = new JobRun(folder, job, quotas ? AbortSignal.any([signal, quotas.signal]) : signal);
  try {
    return (await run.toItsEnd(untilRead)) ? 0 : 3;
  } catch (error) {
    run.quiet();
    return await endFailed(folder, run, job, signal, quotas?.exceeded ?? error);
  } finally {
    run.quiet();
    quotas?.stop();
  }
}
