import { byRank, type JobState } from '@/contract';

/** In what order jobs are begun: by rank, which is when they were sent until somebody moves them. */

export type Ranked = Pick<JobState, 'id' | 'rank'>;

/** Nearer to each other than this, two ranks have no room for a third: all are then numbered anew. */
const LEAST_GAP = 1e-3;
const STEP = 1000;

/**
 * New ranks that put jobs before another one, in the order that they have among themselves.
 * @param waiting all jobs that are not over, in any order. @param moved those that move; others than `waiting` are passed over.
 * @param before the job that they are put before; null, or one that is not there, for the end.
 * @returns only what changes.
 */
export function movedBefore(waiting: readonly Ranked[], moved: ReadonlySet<string>, before: string | null): ReadonlyMap<string, number> {
  const sorted = [...waiting].sort(byRank);
  const going = sorted.filter((j) => moved.has(j.id));
  // Where the one that they are put before moves itself, they are put before the next that does not.
  const from = before === null ? -1 : sorted.findIndex((j) => j.id === before);
  const anchor = from < 0 ? null : (sorted.slice(from).find((j) => !moved.has(j.id)) ?? null);
  const staying = sorted.filter((j) => !moved.has(j.id));
  const at = anchor ? staying.indexOf(anchor) : staying.length;
  const next = [...staying.slice(0, at), ...going, ...staying.slice(at)];
  if (next.every((j, i) => j === sorted[i])) return new Map();
  const [low, high] = [staying[at - 1]?.rank, staying[at]?.rank];
  const first = low ?? (high ?? 0) - STEP * (going.length + 1);
  const gap = ((high ?? first + STEP * (going.length + 1)) - first) / (going.length + 1);
  if (gap >= LEAST_GAP) return new Map(going.map((j, i) => [j.id, first + gap * (i + 1)]));
  const base = sorted[0]?.rank ?? 0;
  return new Map(next.flatMap((j, i) => (j.rank === base + i * STEP ? [] : [[j.id, base + i * STEP] as const])));
}
