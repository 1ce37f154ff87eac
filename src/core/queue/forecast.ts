import { MASTER } from '../recipes/recipe';

/** How long the queue will take, from what this machine has shown of each kind of work. Pure; seconds, bytes, milliseconds of playing time. */

/** What a forecast needs of a job. */
export interface QueuedJob {
  readonly id: string;
  readonly state: 'waiting' | 'running' | 'interrupted' | 'done' | 'failed' | 'cancelled';
  readonly recipes: readonly string[];
  readonly stage: string | null;
  readonly copy: string | null;
  /** Of the running stage. */
  readonly done: number;
  readonly total: number;
  /** Units a second, of the running stage; null where it is not yet known. */
  readonly rate: number | null;
  /** What it reads from: jobs that share it are read one after the other. */
  readonly reads: string;
  readonly expects: { readonly masterBytes: number; readonly durationMs: number; /** Of one picture. */ readonly pixels: number };
  readonly rank: number;
  readonly paused: boolean;
  readonly startAt: string | null;
}

/** A stage that went through without a stop. `work` is its kind. */
export interface WorkDone {
  readonly work: string;
  readonly amount: number;
  readonly seconds: number;
}

/** Amount a second, by kind of work. */
export type Pace = ReadonlyMap<string, number>;

interface Work {
  readonly work: string;
  readonly amount: number;
}

/** The kind of a stage's work: a drive reads slower than a disk, and each recipe encodes at its own speed. */
export const workOf = (stage: string, copy: string | null, reads: string): string =>
  [stage, stage === 'master' ? reads : copy].filter(Boolean).join(' ');

/** How much a stage has to do: bytes of the master; playing time by the million pixels, since a large picture takes longer; or one. */
export function amountOf(stage: string, { masterBytes, durationMs, pixels }: QueuedJob['expects']): number {
  if (stage.startsWith('master')) return Math.max(1, masterBytes);
  return stage === 'placing' ? 1 : Math.max(1, (durationMs * pixels) / 1e6);
}

interface Ahead {
  /** Needs the lane of what it reads; then nothing but the processor; null where a pace of it is not known. */
  readonly reading: number | null;
  readonly proving: number | null;
  readonly encoding: number | null;
  /** What is known of all of it. */
  readonly atLeast: number;
  readonly missing: readonly string[];
}

/** Seconds of work whose pace is known. What is not is noted as missing. */
function secondsOf(works: readonly Work[], pace: Pace, missing: string[]): number {
  let seconds = 0;
  for (const { work, amount } of works) {
    const known = pace.get(work);
    if (known === undefined) missing.push(work);
    else seconds += amount / known;
  }
  return seconds;
}

/** What a job still has before it. */
function ahead(job: QueuedJob, pace: Pace): Ahead {
  const stages = [
    ...[
      { stage: 'master', copy: null },
      { stage: 'master proof', copy: null },
    ],
    ...job.recipes.filter((r) => r !== MASTER).flatMap((copy) => ['access', 'access proof'].map((stage) => ({ stage, copy }))),
    { stage: 'placing', copy: null },
  ].map(({ stage, copy }) => ({ stage, work: workOf(stage, copy, job.reads), amount: amountOf(stage, job.expects), copy }));
  const at = stages.findIndex((s) => s.stage === job.stage && (s.copy === null || job.copy === null || s.copy === job.copy));
  const missing: string[] = [];
  const rest = stages.slice(Math.max(0, at));
  const [first] = rest;
  let atLeast = 0;
  // What runs is known from its own speed, the more surely the further it is; before that from the machine's.
  let now: number | null = null;
  if (at >= 0 && first && job.state === 'running' && job.total > 0) {
    const share = Math.min(1, job.done / job.total);
    const own = job.rate !== null && job.rate > 0 ? (job.total - job.done) / job.rate : null;
    const known = pace.get(first.work);
    const usual = known === undefined ? null : (first.amount * (1 - share)) / known;
    now = own === null ? usual : usual === null ? own : own * share + usual * (1 - share);
  }
  const of = (is: (stage: string) => boolean) => {
    const works = rest.filter((s) => is(s.stage) && (now === null || s !== first));
    const before = missing.length;
    const isFirsts = now !== null && first !== undefined && is(first.stage);
    const seconds = secondsOf(works, pace, missing) + (isFirsts ? (now ?? 0) : 0);
    atLeast += seconds;
    return missing.length > before ? null : seconds;
  };
  const [reading, proving, encoding] = [of((s) => s === 'master'), of((s) => s === 'master proof'), of((s) => !s.startsWith('master'))];
  return { reading, proving, encoding, atLeast, missing };
}

export interface Forecast {
  /** Seconds until all of it is done that may begin by itself; null where something of it was never done here. */
  readonly seconds: number | null;
  /** Seconds that it takes in any case: by what is known, where that is not all. */
  readonly atLeast: number;
  /** Kinds of work whose pace is not known. */
  readonly missing: readonly string[];
  /** Seconds until each job's end, of those that are known. */
  readonly ends: ReadonlyMap<string, number>;
}

/**
 * Lays out what runs and what waits on the lanes that there are, as the engine will begin it.
 * @param now milliseconds of the clock, for jobs that begin at a time of day.
 */
export function forecast(
  jobs: readonly QueuedJob[],
  pace: Pace,
  lanes: { readonly encode: number; readonly held: boolean },
  now: number,
): Forecast {
  const isRunning = (j: QueuedJob) => j.state === 'running' || j.state === 'interrupted';
  const open = jobs.filter((j) => (isRunning(j) || (j.state === 'waiting' && !lanes.held)) && !j.paused);
  open.sort((a, b) => Number(isRunning(b)) - Number(isRunning(a)) || a.rank - b.rank || (a.id < b.id ? -1 : 1));
  const missing = new Set<string>();
  let atLeast = 0;
  const ends = new Map<string, number>();
  const readingFree = new Map<string, number>();
  const encodes: { id: string; from: number; seconds: number }[] = [];
  for (const job of open) {
    const { reading, proving, encoding, missing: lacks, atLeast: own } = ahead(job, pace);
    for (const work of lacks) missing.add(work);
    const due = job.startAt === null ? 0 : Math.max(0, (Date.parse(job.startAt) - now) / 1000);
    // Of what has not begun, what is not known may be nearly all: what is known of it says little.
    if (isRunning(job)) atLeast = Math.max(atLeast, due + own);
    if (reading === null || proving === null || encoding === null) continue;
    const from = reading > 0 ? Math.max(due, readingFree.get(job.reads) ?? 0) : due;
    if (reading > 0) readingFree.set(job.reads, from + reading);
    const proven = from + reading + proving;
    if (job.recipes.every((r) => r === MASTER)) ends.set(job.id, proven + encoding);
    else encodes.push({ id: job.id, from: proven, seconds: encoding });
  }
  const free = Array.from({ length: Math.max(1, lanes.encode) }, () => 0);
  for (const { id, from, seconds } of encodes.sort((a, b) => a.from - b.from)) {
    const lane = free.indexOf(Math.min(...free));
    const end = Math.max(from, free[lane] ?? 0) + seconds;
    free[lane] = end;
    ends.set(id, end);
  }
  const known = Math.max(0, ...ends.values());
  return { seconds: missing.size > 0 ? null : known, atLeast: Math.max(known, atLeast), missing: [...missing], ends };
}

/** So many of the last ones count. */
const MOST_KEPT = 20;
/** Each that came after weighs so much more. */
const NEWER = 1.15;

/** Keeps what was done last of each kind of work. */
export function learn(known: readonly WorkDone[], done: readonly WorkDone[]): WorkDone[] {
  const all = [...known, ...done.filter((d) => d.amount > 0 && d.seconds > 0)];
  const later = new Map<string, number>();
  const kept: WorkDone[] = [];
  for (const item of all.reverse()) {
    const count = (later.get(item.work) ?? 0) + 1;
    later.set(item.work, count);
    if (count <= MOST_KEPT) kept.push(item);
  }
  return kept.reverse();
}

/** The pace of each kind of work: sums over the last ones, so that long ones weigh more; those of late the most. */
export function paceOf(known: readonly WorkDone[]): Map<string, number> {
  const sums = new Map<string, { amount: number; seconds: number; weight: number }>();
  for (const { work, amount, seconds } of known) {
    const before = sums.get(work) ?? { amount: 0, seconds: 0, weight: 1 };
    const { weight } = before;
    sums.set(work, { amount: before.amount + amount * weight, seconds: before.seconds + seconds * weight, weight: weight * NEWER });
  }
  return new Map([...sums].map(([work, { amount, seconds }]) => [work, amount / seconds]));
}
