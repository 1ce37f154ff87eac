import { isOver, type EngineState, type JobState, type ReadingTask } from '@/contract';

/** Something that ran in the background and has come to its end. */
export type Ending =
  | { readonly kind: 'read'; readonly task: ReadingTask }
  | { readonly kind: 'unread'; readonly task: ReadingTask }
  | { readonly kind: 'made'; readonly job: JobState }
  | { readonly kind: 'failed'; readonly job: JobState };

type Known = Pick<EngineState, 'readings' | 'jobs'>;
const isReading = (t: ReadingTask) => t.state === 'reading' || t.state === 'waiting';

/** What has ended between two states of the engine. What had ended before this page saw it is no news; nor is what was cancelled. */
export function endingsBetween(before: Known | null, after: Known | null): Ending[] {
  if (!before || !after) return [];
  const readings = new Set(before.readings.filter(isReading).map((t) => t.id));
  const jobs = new Set(before.jobs.filter((j) => !isOver(j)).map((j) => j.id));
  return [
    ...after.readings.flatMap((task): Ending[] => {
      if (!readings.has(task.id)) return [];
      return task.state === 'done' ? [{ kind: 'read', task }] : task.state === 'failed' ? [{ kind: 'unread', task }] : [];
    }),
    ...after.jobs.flatMap((job): Ending[] => {
      if (!jobs.has(job.id)) return [];
      return job.state === 'done' ? [{ kind: 'made', job }] : job.state === 'failed' ? [{ kind: 'failed', job }] : [];
    }),
  ];
}
