import { setTimeout as sleep } from 'node:timers/promises';
import { isOver, type EngineState } from '@/contract';
import { forecast } from '@/core/queue';

export interface Forecasts {
  readonly jobs: number;
  readonly seconds: number;
  /** How far off each forecast was, as shares of the time that was left. */
  readonly off: readonly number[];
}

/** Nearer to the end than this share of the whole, a second counts for too much. */
const LEAST_LEFT = 0.1;

/**
 * How far off the time of the queue is, as it goes on without any fault. What it is told from was learned before.
 * @param state of an engine whose queue was just filled with `jobs` jobs.
 */
export async function watchForecasts(state: () => Promise<EngineState | null>, jobs: number): Promise<Forecasts> {
  const said: { at: number; seconds: number | null }[] = [];
  for (;;) {
    const now = await state();
    if (!now || now.jobs.every(isOver)) break;
    const pace = new Map(now.pace.map(({ work, rate }) => [work, rate]));
    said.push({ at: Date.now(), seconds: forecast(now.jobs, pace, { encode: now.usualEncodeLanes, held: false }, Date.now()).seconds });
    await sleep(400);
  }
  const [first, end] = [said[0]?.at ?? 0, Date.now()];
  const off = said.flatMap(({ at, seconds }) => {
    const left = (end - at) / 1000;
    return seconds === null || left < ((end - first) / 1000) * LEAST_LEFT ? [] : [Math.abs(seconds - left) / left];
  });
  return { jobs, seconds: (end - first) / 1000, off: off.sort((a, b) => a - b) };
}

export function forecastText({ jobs, seconds, off }: Forecasts): string {
  const at = (share: number) => `${Math.round((off[Math.floor(off.length * share)] ?? 0) * 100)} %`;
  return `time of the queue, ${jobs} jobs in ${Math.round(seconds)} s, ${off.length} forecasts: off by ${at(0.5)} in the middle, ${at(0.9)} at worst but a tenth`;
}
