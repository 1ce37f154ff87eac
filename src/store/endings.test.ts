import type { JobState, ReadingTask } from '@/contract';
import { endingsBetween } from './endings';

const task = (id: string, state: ReadingTask['state']) => ({ id, state, name: id }) as ReadingTask;
const job = (id: string, state: JobState['state']) => ({ id, state, name: id }) as JobState;

test('what ended while it was watched is told, once; what had ended before, or was cancelled, is not', () => {
  const before = {
    readings: [task('a', 'reading'), task('b', 'waiting'), task('c', 'done'), task('d', 'reading')],
    jobs: [job('1', 'running'), job('2', 'waiting'), job('3', 'failed'), job('4', 'running'), job('5', 'interrupted')],
  };
  const after = {
    readings: [task('a', 'done'), task('b', 'failed'), task('c', 'done'), task('d', 'cancelled'), task('new', 'done')],
    jobs: [job('1', 'done'), job('2', 'failed'), job('3', 'failed'), job('4', 'cancelled'), job('5', 'done'), job('new', 'done')],
  };
  expect(endingsBetween(before, after).map((e) => `${e.kind} ${'task' in e ? e.task.id : e.job.id}`)).toEqual([
    'read a',
    'unread b',
    'made 1',
    'failed 2',
    'made 5',
  ]);
  expect(endingsBetween(after, after)).toEqual([]);
  expect(endingsBetween(null, after)).toEqual([]);
  expect(endingsBetween(before, null)).toEqual([]);
});
