import { amountOf, workOf, type WorkDone } from '@/core/queue';
import { expectedOf } from '@/core/reels';
import { storagesOf, type Job, type JobEvent, type JobState, type Problem } from '@/contract';

/** Nobody has said that it is to stand still. */
const MOVING = { paused: false, startAt: null } as const;

/** What a job without events has done. */
const NOTHING_YET = {
  stage: null,
  copy: null,
  done: 0,
  total: 0,
  unit: 'bytes',
  rate: null,
  startedAt: null,
  endedAt: null,
  files: [],
  problem: null,
  attempts: 0,
  ...MOVING,
  places: 0,
  damaged: 0,
  stretches: [],
  reads: '',
  storageId: '',
  expects: { masterBytes: 0, durationMs: 0, pixels: 0 },
  took: [],
} satisfies Partial<JobState>;

/** Images share the disks they lie on; each drive is by itself. */
export const readsOf = (source: Job['source']): string => (source.kind === 'drive' ? `drive ${source.drive}` : 'files');

/** What is shown of an order, and can be changed when it is tried again. */
export const shownOrder = (job: Job) => ({
  storageId: job.storage.id,
  storage: storagesOf(job)
    .map((s) => s.name)
    .join(', '),
  folder: job.folder,
  fileName: job.fileName,
  recipes: [...job.reel.recipes],
  copies: job.copies.map(({ id, name }) => ({ id, name })),
});

/** The state of a job that has no event yet. */
export function newJobState(job: Job): JobState {
  return {
    id: job.id,
    name: job.reel.name,
    createdAt: job.createdAt,
    disc: job.origin?.disc.label ?? job.reading.label,
    fingerprint: job.origin?.disc.fingerprint ?? job.reading.fingerprint,
    state: 'waiting',
    // Milliseconds of the clock; 0 where the order is of a version that did not say when.
    rank: Date.parse(job.createdAt) || 0,
    ...NOTHING_YET,
    ...shownOrder(job),
    reads: readsOf(job.source),
    expects: expectedOf(job.reading, job.reel),
  };
}

/** A job of which only its folder is left: shown, so that nothing vanishes from the queue without a word. */
export function lostJobState(id: string, createdAt: string, problem: Problem): JobState {
  return {
    id,
    name: 'A job whose order was lost',
    folder: '',
    fileName: '',
    createdAt,
    storage: '',
    disc: '',
    fingerprint: '',
    recipes: [],
    copies: [],
    state: 'failed',
    rank: 0,
    ...NOTHING_YET,
    endedAt: createdAt,
    problem,
  };
}

/** Weight of a new measurement in the running rate: time left should settle, not jump. */
const RATE_WEIGHT = 0.12;

/** All that the events of a job say of it. */
export interface Folded {
  /** As it is shown. */
  readonly state: JobState;
  /** Its master is made and proven: it needs its disc no more. */
  readonly parted: boolean;
  /** When the user wanted it stopped, which it is not yet. */
  readonly cancelAskedAt: number | null;
  /** Runners that have said that they are there, whatever became of them. */
  readonly starts: number;
  /** The last progress, for the rate. */
  readonly last: { readonly atMs: number; readonly done: number; readonly stage: string } | null;
  /** The stage that it is in, where that has not been stopped since it began. */
  readonly stageBegan: { readonly atMs: number; readonly stage: string; readonly copy: string | null } | null;
}

export const newFolded = (job: Job): Folded => ({
  state: newJobState(job),
  parted: false,
  cancelAskedAt: null,
  starts: 0,
  last: null,
  stageBegan: null,
});

/** Folds one event in. Pure, and the only way in which a job changes: the same events give the same job, whoever replays them. */
export function foldJob(folded: Folded, event: JobEvent): Folded {
  const last = event.type === 'progress' && folded.last?.stage === event.stage ? folded.last : null;
  return {
    state: { ...reduceState(folded.state, event, last), took: tookOf(folded, event) },
    parted: isParted(folded, event),
    starts: folded.starts + (event.type === 'started' ? 1 : 0),
    cancelAskedAt:
      event.type === 'cancel-asked'
        ? Date.parse(event.at)
        : ['cancelled', 'finished', 'failed', 'retried'].includes(event.type)
          ? null
          : folded.cancelAskedAt,
    last:
      event.type === 'progress'
        ? { atMs: Date.parse(event.at), done: event.done, stage: event.stage }
        : event.type === 'started'
          ? null
          : folded.last,
    stageBegan: stageBegan(folded, event),
  };
}

/** What ends a stage that has done its work. */
const ENDS_STAGE: readonly JobEvent['type'][] = ['stage', 'parted', 'finished'];
/** What says nothing of the time that a stage takes. */
const BESIDE: readonly JobEvent['type'][] = ['progress', 'note', 'found', 'ranked', 'timed', 'cancel-asked', 'changed'];

function stageBegan({ stageBegan: before }: Folded, event: JobEvent): Folded['stageBegan'] {
  if (event.type === 'stage') return { atMs: Date.parse(event.at), stage: event.stage, copy: event.copy ?? null };
  return BESIDE.includes(event.type) ? before : null;
}

function tookOf({ state, stageBegan: began }: Folded, event: JobEvent): readonly WorkDone[] {
  if (event.type === 'retried') return []; // learned when it failed
  // Of a job of an earlier version it is not known how much there was to do.
  if (!began || !ENDS_STAGE.includes(event.type) || state.expects.masterBytes === 0) return state.took;
  const seconds = (Date.parse(event.at) - began.atMs) / 1000;
  if (!(seconds > 0)) return state.took;
  const work = workOf(began.stage, began.copy, state.reads);
  const done = { work, amount: amountOf(began.stage, state.expects), seconds };
  return [...state.took.filter((t) => t.work !== work), done];
}

function isParted({ parted, state }: Folded, event: JobEvent): boolean {
  switch (event.type) {
    case 'parted':
      return true;
    case 'cancelled': // nothing of it is kept
      return false;
    case 'changed':
      return parted && !event.again;
    case 'stage': // the disc is read again
      return parted && event.stage !== 'master';
    case 'retried': // another try of the same disc: what was read of it before is not gone on with
      return parted && (event.around || state.problem?.code !== 'not-whole');
    default:
      return parted;
  }
}

function reduceState(state: JobState, event: JobEvent, last: Folded['last']): JobState {
  switch (event.type) {
    case 'started':
      return {
        ...state,
        state: 'running',
        startedAt: state.startedAt ?? event.at,
        endedAt: null,
        problem: null,
        rate: null,
        attempts: state.attempts + 1,
      };
    case 'stage':
      return { ...state, state: 'running', stage: event.stage, copy: event.copy ?? null, done: 0, total: 0, rate: null };
    case 'progress': {
      const seconds = last ? (Date.parse(event.at) - last.atMs) / 1000 : 0;
      const now = last && seconds > 0.05 ? (event.done - last.done) / seconds : null;
      const rate = now === null ? state.rate : state.rate === null ? now : state.rate * (1 - RATE_WEIGHT) + now * RATE_WEIGHT;
      return { ...state, state: 'running', stage: event.stage, done: event.done, total: event.total, unit: event.unit, rate };
    }
    case 'parted':
      return { ...state, state: 'waiting', stage: 'access', copy: null, done: 0, total: 0, rate: null, attempts: 0 };
    case 'finished':
      return { ...state, ...MOVING, state: 'done', files: event.files, endedAt: event.at, rate: null, problem: null };
    case 'failed':
      return {
        ...state,
        ...MOVING,
        state: 'failed',
        problem: event.problem,
        files: event.files ?? [],
        endedAt: event.at,
        rate: null,
        attempts: 0,
      };
    case 'cancelled':
      return { ...state, ...MOVING, state: 'cancelled', problem: null, endedAt: event.at, rate: null, attempts: 0 };
    case 'found':
      return { ...state, places: event.places, damaged: event.damaged, stretches: event.stretches };
    case 'retried':
      return {
        ...state,
        ...MOVING,
        state: 'waiting',
        problem: null,
        endedAt: null,
        attempts: 0,
        stage: null,
        copy: null,
        done: 0,
        total: 0,
        rate: null,
      };
    case 'held':
      // It was no attempt: whatever was away, the job had no part in it.
      return { ...state, state: 'waiting', problem: event.problem, rate: null, attempts: Math.max(0, state.attempts - 1) };
    case 'interrupted':
      return { ...state, state: 'interrupted', rate: null };
    case 'paused':
      return { ...state, paused: true, rate: null };
    case 'resumed':
      return { ...state, paused: false };
    case 'ranked':
      return { ...state, rank: event.rank };
    case 'timed':
      return { ...state, startAt: event.startAt };
    case 'changed': {
      const { storageId, storage, folder, fileName, recipes, copies } = event;
      const order = { ...state, storageId, storage, folder, fileName, recipes: [...recipes], copies };
      // One that waits goes on as it is now; what failed or was cancelled is put into the queue by what comes next.
      return state.state !== 'waiting' ? order : { ...order, problem: null, ...(event.again ? { stage: null, copy: null } : {}) };
    }
    case 'cancel-asked':
    case 'note':
      return state;
  }
}
