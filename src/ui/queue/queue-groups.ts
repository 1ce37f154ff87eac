import { byRank, isOver, type JobState } from '@/contract';

/** How the queue is listed: what runs, what waits in the order in which it will be begun, and what is over. */

export const GROUPS = ['Running', 'Waiting', 'Failed', 'Ended'] as const;
export type GroupName = (typeof GROUPS)[number];

const GROUP: Readonly<Record<JobState['state'], GroupName>> = {
  running: 'Running',
  interrupted: 'Running',
  waiting: 'Waiting',
  failed: 'Failed',
  done: 'Ended',
  cancelled: 'Ended',
};
export const groupOf = ({ state }: JobState): GroupName => GROUP[state];

const latestFirst = (a: JobState, b: JobState) => (b.endedAt ?? b.createdAt).localeCompare(a.endedAt ?? a.createdAt);

export interface JobGroup {
  readonly name: GroupName;
  readonly jobs: readonly JobState[];
}

const plain = (text: string): string => text.toLowerCase().normalize('NFD').replace(/\p{M}/gu, '');

/** @param only one group; null for all. @param words all of which are in a job's name, disc, storage or folder. */
export function queueGroups(jobs: readonly JobState[], only: GroupName | null, words: string): readonly JobGroup[] {
  const wanted = plain(words).split(/\s+/).filter(Boolean);
  const isWanted = (j: JobState) => {
    if (wanted.length === 0) return true;
    const text = plain([j.name, j.fileName, j.disc, j.storage, j.folder].join(' '));
    return wanted.every((w) => text.includes(w));
  };
  const found = Map.groupBy(jobs.filter(isWanted), groupOf);
  return GROUPS.filter((name) => only === null || name === only)
    .map((name) => ({ name, jobs: (found.get(name) ?? []).sort(name === 'Running' || name === 'Waiting' ? byRank : latestFirst) }))
    .filter((g) => g.jobs.length > 0);
}

/** What jobs that are chosen can be told, as a whole. */
export function canTell(
  jobs: readonly JobState[],
): Readonly<Record<'pause' | 'resume' | 'order' | 'time' | 'cancel' | 'retry' | 'forget', boolean>> {
  const some = (is: (j: JobState) => boolean) => jobs.some(is);
  return {
    pause: some((j) => !isOver(j) && !j.paused),
    resume: some((j) => !isOver(j) && j.paused),
    order: some((j) => j.state === 'waiting'),
    time: some((j) => j.state === 'waiting'),
    cancel: some((j) => !isOver(j)),
    retry: some(
      (j) => (j.state === 'failed' || j.state === 'cancelled') && j.problem?.code !== 'order-lost' && j.problem?.code !== 'too-new',
    ),
    forget: some(isOver),
  };
}

/** Those of chosen jobs that a decision is for: the others are not bothered with it. */
export function meantBy(jobs: readonly JobState[], what: keyof ReturnType<typeof canTell>): readonly string[] {
  return jobs.filter((j) => canTell([j])[what]).map((j) => j.id);
}
