import type { z } from 'zod';
import { WorkError, toProblem, type Arrange, type ArrangedSchema, type Problem } from '@/contract';
import type { JobRecord } from './job-record';
import { movedBefore } from './queue-order';
import type { Runners } from './runners';

/** What is decided about jobs while they are in the queue. Each decision is an event of its own job; nothing else remembers it. */

export type Arranged = z.infer<typeof ArrangedSchema>;

/** What is needed of the queue. */
interface Queue {
  readonly open: readonly JobRecord[];
  /** @throws WorkError `not-known`. */
  find(id: string): JobRecord;
  send(record: JobRecord): void;
  isAtWork(record: JobRecord): boolean;
  cancel(id: string): Promise<void>;
  retry(id: string): Promise<void>;
  forget(id: string): Promise<void>;
}

/** @throws WorkError `not-known`, `bad-request` where it is over; where its journal can not be written nothing is decided. */
async function say(queue: Queue, id: string, event: Parameters<JobRecord['decide']>[0]): Promise<JobRecord> {
  const record = queue.find(id);
  if (record.isOver) throw new WorkError('bad-request', 'This job is over');
  await record.decide(event);
  queue.send(record);
  return record;
}

/** A job that runs stands still as it is, and one that waits is not begun. */
async function pause(queue: Queue, runners: Runners, id: string, paused: boolean): Promise<void> {
  const record = queue.find(id);
  if (record.told.paused === paused) return;
  await say(queue, id, { type: paused ? 'paused' : 'resumed' });
  if (record.process && queue.isAtWork(record)) runners[paused ? 'pause' : 'goOn'](record.process);
}

/**
 * Decides about jobs, each by itself: of those that can not be meant, it is said why, and the others are done all the same.
 * Whoever asks has the queue looked at afterwards.
 */
export async function arrangeJobs(queue: Queue, runners: Runners, { jobs, decision }: Arrange): Promise<Arranged> {
  const refused: { id: string; problem: Problem }[] = [];
  const ids = [...new Set(jobs)];
  const decide = async (id: string): Promise<void> => {
    switch (decision.do) {
      case 'pause':
      case 'resume':
        return pause(queue, runners, id, decision.do === 'pause');
      case 'time':
        await say(queue, id, { type: 'timed', startAt: decision.startAt });
        return;
      case 'move':
        if (queue.find(id).isOver) throw new WorkError('bad-request', 'This job is over');
        return;
      default:
        return queue[decision.do](id);
    }
  };
  for (const id of ids)
    await decide(id).catch((error: unknown) => {
      refused.push({ id, problem: toProblem(error) });
    });
  if (decision.do === 'move') {
    const waiting = queue.open.map((r) => r.told);
    // Others get another rank too where there is no room between two.
    for (const [id, rank] of movedBefore(waiting, new Set(ids), decision.before))
      await say(queue, id, { type: 'ranked', rank }).catch((error: unknown) => {
        refused.push({ id, problem: toProblem(error) });
      });
  }
  return { done: ids.length - refused.length, refused };
}
