import type { Job, JobEvent, JobState, Problem } from '@/contract';

/** What a job without events has done. */
const NOTHING_YET = {
  stage: null,
  done: 0,
  total: 0,
  unit: 'bytes',
  rate: null,
  startedAt: null,
  endedAt: null,
  files: [],
  problem: null,
  attempts: 0,
  places: 0,
  damaged: 0,
  stretches: [],
} satisfies Partial<JobState>;

/** The state of a job that has no event yet. */
export function newJobState(job: Job): JobState {
  return {
    id: job.id,
    name: job.reel.name,
    folder: job.folder,
    fileName: job.fileName,
    createdAt: job.createdAt,
    storage: job.storage.name,
    disc: job.reading.label,
    fingerprint: job.reading.fingerprint,
    recipes: [...job.reel.recipes],
    state: 'waiting',
    ...NOTHING_YET,
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
    state: 'failed',
    ...NOTHING_YET,
    endedAt: createdAt,
    problem,
  };
}

/** Weight of a new measurement in the running rate: time left should settle, not jump. */
const RATE_WEIGHT = 0.12;

/** What is needed besides the state to compute the next one. */
export interface Measured {
  readonly atMs: number;
  readonly done: number;
}

/**
 * Folds one event into a job's state. Pure: the same events give the same state, whoever replays them.
 * @param last the last progress of the same stage, for the rate.
 */
export function reduceJob(state: JobState, event: JobEvent, last: Measured | null): JobState {
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
      return { ...state, state: 'running', stage: event.stage, done: 0, total: 0, rate: null };
    case 'progress': {
      const seconds = last ? (Date.parse(event.at) - last.atMs) / 1000 : 0;
      const now = last && seconds > 0.05 ? (event.done - last.done) / seconds : null;
      const rate = now === null ? state.rate : state.rate === null ? now : state.rate * (1 - RATE_WEIGHT) + now * RATE_WEIGHT;
      return { ...state, state: 'running', stage: event.stage, done: event.done, total: event.total, unit: event.unit, rate };
    }
    case 'parted':
      return { ...state, state: 'waiting', stage: 'access', done: 0, total: 0, rate: null, attempts: 0 };
    case 'finished':
      return { ...state, state: 'done', files: event.files, endedAt: event.at, rate: null, problem: null };
    case 'failed':
      return { ...state, state: 'failed', problem: event.problem, endedAt: event.at, rate: null, attempts: 0 };
    case 'cancelled':
      return { ...state, state: 'cancelled', endedAt: event.at, rate: null, attempts: 0 };
    case 'found':
      return { ...state, places: event.places, damaged: event.damaged, stretches: event.stretches };
    case 'retried':
      return { ...state, state: 'waiting', problem: null, endedAt: null, attempts: 0, stage: null, done: 0, total: 0, rate: null };
    case 'interrupted':
      return { ...state, state: 'interrupted', rate: null };
    case 'note':
      return state;
  }
}

export const isOver = (state: JobState): boolean => state.state === 'done' || state.state === 'failed' || state.state === 'cancelled';
