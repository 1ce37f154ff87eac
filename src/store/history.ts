import { forecast, type Forecast, type Pace, type QueuedJob } from '@/core/queue';
import type { RecipeId } from '@/core/recipes';
import type { EngineState, JobState, KnownPace, VaultEntry } from '@/contract';

/** The pace of each kind of work, as the engine has it. */
export const paceOf = (known: KnownPace): Pace => new Map(known.map(({ work, rate }) => [work, rate]));

const forecasts = new WeakMap<EngineState, Forecast>();
/** How long all that is on the queue will take; worked out once for each state of the engine. */
export function forecastOf(engine: EngineState): Forecast {
  const known = forecasts.get(engine) ?? forecast(engine.jobs, paceOf(engine.pace), lanesOf(engine), Date.now());
  forecasts.set(engine, known);
  return known;
}

/** How many copies are encoded at once, and whether anything new is begun. */
export const lanesOf = ({ queue, usualEncodeLanes }: Pick<EngineState, 'queue' | 'usualEncodeLanes'>) => ({
  encode: queue.encodeLanes ?? usualEncodeLanes,
  held: queue.held,
});

type Planned = { readonly recipes: readonly RecipeId[] } & JobState['expects'];

/** Seconds that reels will take by themselves, one source after the other; null where something of it was never done here. @param reads as a job has it. */
export function secondsFor(
  reels: readonly Planned[],
  reads: string,
  engine: Pick<EngineState, 'queue' | 'usualEncodeLanes' | 'pace'>,
): number | null {
  const jobs = reels.map(({ recipes, ...expects }, i): QueuedJob => ({
    ...{ id: String(i).padStart(6, '0'), state: 'waiting', recipes, stage: null, copy: null, done: 0, total: 0, rate: null, reads },
    ...{ expects, rank: i, paused: false, startAt: null },
  }));
  return forecast(jobs, paceOf(engine.pace), { ...lanesOf(engine), held: false }, 0).seconds;
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
