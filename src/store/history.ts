import type { RecipeId } from '@/core/reels';
import type { JobState, VaultEntry } from '@/contract';

/** How fast this machine has been: what the time of a batch is estimated from. */
export interface Pace {
  /** Bytes of master a second, proof included; null before the first. */
  readonly masterBytesPerSecond: number | null;
  /** Playing time encoded in a second of waiting; null before the first. */
  readonly accessMsPerSecond: number | null;
}

/** Jobs looked back at. */
const LAST = 40;

/** Reads the pace out of what has ended: the sum over jobs of one recipe, so that long ones weigh more. */
export function paceOf(jobs: readonly JobState[], outputs: readonly VaultEntry[]): Pace {
  const ended = jobs.filter((j) => j.state === 'done' && j.startedAt !== null && j.endedAt !== null).slice(-LAST);
  const sums = { master: { amount: 0, seconds: 0 }, access: { amount: 0, seconds: 0 } };
  for (const job of ended) {
    const [recipe, ...more] = job.recipes;
    const output = outputs.find((o) => o.sidecar.jobId === job.id);
    if (!recipe || more.length > 0 || !output) continue;
    sums[recipe].amount += recipe === 'master' ? output.sizeBytes : output.sidecar.promise.durationMs;
    sums[recipe].seconds += Math.max(0.5, (Date.parse(job.endedAt ?? '') - Date.parse(job.startedAt ?? '')) / 1000);
  }
  const rate = ({ amount, seconds }: { amount: number; seconds: number }) => (seconds > 0 && amount > 0 ? amount / seconds : null);
  return { masterBytesPerSecond: rate(sums.master), accessMsPerSecond: rate(sums.access) };
}

/** Seconds that reels will take one after the other; null where the pace of one of their recipes is not known yet. */
export function secondsFor(
  reels: readonly { readonly recipes: readonly RecipeId[]; readonly masterBytes: number; readonly durationMs: number }[],
  pace: Pace,
): number | null {
  let seconds = 0;
  for (const { recipes, masterBytes, durationMs } of reels) {
    if (recipes.includes('master')) {
      if (pace.masterBytesPerSecond === null) return null;
      seconds += masterBytes / pace.masterBytesPerSecond;
    }
    if (recipes.includes('access')) {
      if (pace.accessMsPerSecond === null) return null;
      seconds += durationMs / pace.accessMsPerSecond;
    }
  }
  return seconds;
}
