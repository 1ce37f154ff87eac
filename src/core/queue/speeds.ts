/** How fast a job has been, stage by stage, from what its runner said of its progress. Pure. */

/** What is needed of an event of a job. */
export interface SpeedEvent {
  readonly type: string;
  readonly at: string;
  readonly stage?: string;
  readonly copy?: string | undefined;
  readonly done?: number;
  readonly unit?: 'bytes' | 'ms';
}

export interface StageSpeeds {
  readonly stage: string;
  readonly copy: string | null;
  readonly unit: 'bytes' | 'ms';
  /** Seconds since the job's first event, and units a second from the point before to this one; null where it stood still or was begun anew. */
  readonly points: readonly (readonly [seconds: number, rate: number | null])[];
}

/** Of one stage: more are summed up. */
const MOST_POINTS = 160;
/** Without a word for so long it stood still, seconds. */
const STOOD_STILL = 15;

type Sample = readonly [seconds: number, done: number, isBegun: boolean];

function pointsOf(samples: readonly Sample[]): StageSpeeds['points'] {
  const points: (readonly [number, number | null])[] = [];
  const [first, last] = [samples[0], samples.at(-1)];
  if (!first || !last) return points;
  const step = Math.max(0.2, (last[0] - first[0]) / MOST_POINTS);
  let before = first;
  let previous = first;
  for (const sample of samples.slice(1)) {
    const [at, done, isBegun] = sample;
    const seconds = at - before[0];
    if (isBegun || at - previous[0] > STOOD_STILL || done < previous[1]) {
      points.push([at, null]);
      before = sample;
    } else if (seconds >= step) {
      points.push([at, (done - before[1]) / seconds]);
      before = sample;
    }
    previous = sample;
  }
  return points;
}

/** @param events in the order in which they were written. */
export function speedsOf(events: readonly SpeedEvent[]): StageSpeeds[] {
  const stages = new Map<string, { stage: string; copy: string | null; unit: 'bytes' | 'ms'; samples: Sample[] }>();
  const begin = Date.parse(events[0]?.at ?? '');
  let copy: string | null = null;
  let isBegun = false;
  for (const event of events) {
    if (event.type === 'stage') copy = event.copy ?? null;
    if (event.type !== 'progress') {
      // What was said before and after a stop are not compared.
      if (['stage', 'started', 'paused', 'resumed', 'interrupted', 'held'].includes(event.type)) isBegun = true;
      continue;
    }
    const { stage = '', unit = 'bytes', done = 0 } = event;
    const key = `${stage} ${copy ?? ''}`;
    const of = stages.get(key) ?? { stage, copy, unit, samples: [] };
    stages.set(key, of);
    of.samples.push([(Date.parse(event.at) - begin) / 1000, done, isBegun]);
    isBegun = false;
  }
  return [...stages.values()]
    .map(({ samples, ...of }) => ({ ...of, points: pointsOf(samples) }))
    .filter((s) => s.points.some(([, rate]) => rate !== null));
}
