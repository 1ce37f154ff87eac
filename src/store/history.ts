import { MASTER, type RecipeId } from '@/core/recipes';
import type { JobState, VaultEntry } from '@/contract';

/** How fast this machine has been: what the time of a batch is estimated from. */
export interface Pace {
  /** Bytes of master a second, proof included; null before the first. */
  readonly masterBytesPerSecond: number | null;
  /** Playing time encoded in a second of waiting, by recipe; none before its first. */
  readonly copyMsPerSecond: ReadonlyMap<RecipeId, number>;
}

/** Jobs looked back at. */
const LAST = 40;

/** Reads the pace out of what has ended: the sum over jobs of one recipe, so that long ones weigh more. */
export function paceOf(jobs: readonly JobState[], outputs: readonly VaultEntry[]): Pace {
  const ended = jobs.filter((j) => j.state === 'done' && j.startedAt !== null && j.endedAt !== null).slice(-LAST);
  const sums = new Map<RecipeId, { amount: number; seconds: number }>();
  for (const job of ended) {
    const [recipe, ...more] = job.recipes;
    const output = outputs.find((o) => o.sidecar.jobId === job.id);
    if (!recipe || more.length > 0 || !output) continue;
    const { amount, seconds } = sums.get(recipe) ?? { amount: 0, seconds: 0 };
    sums.set(recipe, {
      amount: amount + (recipe === MASTER ? output.sizeBytes : output.sidecar.promise.durationMs),
      seconds: seconds + Math.max(0.5, (Date.parse(job.endedAt ?? '') - Date.parse(job.startedAt ?? '')) / 1000),
    });
  }
  const rates = new Map([...sums].flatMap(([id, { amount, seconds }]) => (amount > 0 ? [[id, amount / seconds] as const] : [])));
  return { masterBytesPerSecond: rates.get(MASTER) ?? null, copyMsPerSecond: rates };
}

/** Seconds that reels will take one after the other; null where the pace of one of their recipes is not known yet. */
export function secondsFor(
  reels: readonly { readonly recipes: readonly RecipeId[]; readonly masterBytes: number; readonly durationMs: number }[],
  pace: Pace,
): number | null {
  let seconds = 0;
  for (const { recipes, masterBytes, durationMs } of reels) {
    // The pace of a copy alone was taken with the master that it is made from.
    if (recipes.includes(MASTER) || recipes.length > 1) {
      if (pace.masterBytesPerSecond === null) return null;
      seconds += masterBytes / pace.masterBytesPerSecond;
    }
    for (const recipe of recipes) {
      if (recipe === MASTER) continue;
      const known = pace.copyMsPerSecond.get(recipe);
      if (known === undefined) return null;
      seconds += durationMs / known;
    }
  }
  return seconds;
}

/** Fewer say nothing of the next one, more say little more. */
const MOST_COMPARED = 20;
/** Beyond this something else was the matter than the picture. */
const MOST_OFF = 8;

/** How much larger or smaller copies by each recipe came out here than was said beforehand: the median of the last ones. */
export function sizeFactors(outputs: readonly VaultEntry[]): ReadonlyMap<RecipeId, number> {
  const ratios = new Map<RecipeId, number[]>();
  for (const { sidecar } of outputs) {
    const { recipe, outcome, file } = sidecar;
    if (!outcome || outcome.estimatedBytes <= 0 || file.sizeBytes <= 0) continue;
    const list = ratios.get(recipe) ?? [];
    if (list.length < MOST_COMPARED) ratios.set(recipe, [...list, file.sizeBytes / outcome.estimatedBytes]);
  }
  return new Map(
    [...ratios].map(([id, list]) => {
      const median = [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)] ?? 1;
      return [id, Math.min(MOST_OFF, Math.max(1 / MOST_OFF, median))];
    }),
  );
}
