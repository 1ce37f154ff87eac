import { FAULT_WEIGHTS, damageOf, wholenessText } from '@/core/reading';
import type { MasterPromise } from '@/core/proof';
import { WorkError, toProblem, type Job, type Stage } from '@/contract';
import { estimateReel, neededBytes } from '@/core/reels';
import { removeWorkshop, requireStorage } from '@/node/library';
import { isThere, storageAway } from '@/node/storage-mark';
import type { JobFolder } from '@/node/job-folder';
import { checkAccess, checkMaster, isStill, makeAccess, makeMaster, place, type StageContext } from './stages';

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

/** Progress lines a second at the most: events are for people and for the journal, not for packets. */
const EVENT_INTERVAL_MS = 250;

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
  let last = 0;
  const context: StageContext = {
    job,
    signal,
    note: (text) => {
      folder.emit({ type: 'note', text });
    },
    found: (wholeness) => {
      const stretches = damageOf(wholeness.faults, (kind) => FAULT_WEIGHTS[kind] === 'damage');
      folder.emit({ type: 'found', places: wholeness.count, damaged: wholeness.damage, stretches });
    },
    progress: (stage, done, total, unit) => {
      const now = performance.now();
      if (now - last < EVENT_INTERVAL_MS && done < total) return;
      last = now;
      folder.emit({ type: 'progress', stage, done, total, unit });
    },
  };
  let progress = folder.readProgress();
  const begin = (stage: Stage) => {
    last = 0;
    folder.emit({ type: 'stage', stage });
  };
  const save = (stage: Stage, change: Partial<typeof progress>) => {
    progress = { ...progress, ...change, finished: [...new Set([...progress.finished, stage])] };
    folder.writeProgress(progress);
  };
  const isDone = (stage: Stage) => progress.finished.includes(stage);
  try {
    const estimate = estimateReel(job.reading, job.reel);
    const wantsMaster = job.reel.recipes.includes('master');
    const wantsAccess = job.reel.recipes.includes('access');
    await requireStorage(job.storage, neededBytes(job.reel, estimate) - (progress.masterBytes ?? 0));
    const placing = isDone('master proof') || isDone('access proof');
    if (wantsMaster && !placing && isDone('master') && !(await isStill(job, 'master', progress.masterBytes)))
      progress = { ...progress, finished: [] };
    if (wantsMaster && !isDone('master')) {
      begin('master');
      const made = await makeMaster(context);
      save('master', { promise: made.promise, masterBytes: made.bytes, beside: [...made.beside] });
    }
    if (wantsMaster && progress.promise) progress = { ...progress, promise: requireWhole(progress.promise, job) };
    if (wantsMaster && !isDone('master proof') && progress.promise) {
      begin('master proof');
      const { proof, sha256, stamp } = await checkMaster(context, progress.promise);
      save('master proof', { masterProof: proof, masterSha256: sha256, masterStamp: stamp });
    }
    if (untilRead && wantsAccess && !isDone('access')) {
      folder.emit({ type: 'parted' });
      return 3;
    }
    if (wantsAccess && !isDone('access')) {
      begin('access');
      const made = await makeAccess(context, wantsMaster ? progress.promise : null);
      requireWhole(made.promise, job);
      save('access', { promise: made.promise, accessBytes: made.bytes, ...(wantsMaster ? {} : { beside: [...made.beside] }) });
    }
    if (wantsAccess && !isDone('access proof') && progress.promise) {
      begin('access proof');
      const { proof, sha256, stamp } = await checkAccess(context, progress.promise);
      save('access proof', { accessProof: proof, accessSha256: sha256, accessStamp: stamp });
    }
    begin('placing');
    const { promise, masterProof, masterSha256, masterBytes, accessProof, accessSha256, accessBytes } = progress;
    const results = [
      ...(wantsMaster && promise && masterProof && masterSha256 && masterBytes !== null
        ? [
            {
              recipe: 'master' as const,
              promise,
              proof: masterProof,
              sha256: masterSha256,
              bytes: masterBytes,
              stamp: progress.masterStamp,
            },
          ]
        : []),
      ...(wantsAccess && promise && accessProof && accessSha256 && accessBytes !== null
        ? [
            {
              recipe: 'access' as const,
              promise,
              proof: accessProof,
              sha256: accessSha256,
              bytes: accessBytes,
              stamp: progress.accessStamp,
            },
          ]
        : []),
    ];
    const files = await place(context, results, progress.beside);
    folder.emit({ type: 'finished', files });
    return 0;
  } catch (error) {
    if (signal.aborted) {
      if (folder.standing !== 'cancel-asked') return 3; // the machine is shut down
      await removeWorkshop(job.storage.path, job.id).catch(() => undefined);
      folder.cancelled();
      return 2;
    }
    // Whatever went wrong first: without its storage the job can not go on, and nothing is to be written in its place.
    const isSaid = error instanceof WorkError && error.code === 'storage-missing';
    if (isSaid || !(await isThere(job.storage))) {
      folder.emit({
        type: 'held',
        problem: toProblem(isSaid ? error : storageAway(job.storage.name)),
      });
      return 3;
    }
    const found = toProblem(error);
    // The storage is there; what is missing was in it.
    const problem =
      found.code === 'storage-missing'
        ? toProblem(new WorkError('work-lost', 'An unfinished file of this job is gone', { cause: error }))
        : found;
    // A proof that failed leaves nothing to go on with; after other failures the finished stages are kept for a retry.
    if (problem.code === 'proof-failed' || problem.code === 'work-lost' || progress.finished.length === 0) {
      await removeWorkshop(job.storage.path, job.id).catch(() => undefined);
      folder.writeProgress({ ...progress, finished: [] });
    }
    folder.emit({ type: 'failed', problem });
    return 1;
  }
}
