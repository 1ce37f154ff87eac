import type { JobState, ReadingTask, Stage } from '@/contract';
import { bytes } from './format';

/** What is being worked on, in words. */

export const STAGE: Readonly<Record<Stage, string>> = {
  master: 'reading the disc into the master',
  'master proof': 'proving the master',
  access: 'making the copy',
  'access proof': 'proving the copy',
  placing: 'placing in the library',
};

export const JOB: Readonly<Record<JobState['state'], string>> = {
  waiting: 'waiting',
  running: 'running',
  interrupted: 'interrupted, goes on soon',
  done: 'in the vault',
  failed: 'failed',
  cancelled: 'cancelled',
};

export function readingText(task: ReadingTask): string {
  const { step, done, total } = task.progress;
  if (task.state === 'waiting') return 'waits for its turn';
  if (task.state !== 'reading') return task.state;
  if (step === 'surface') return `checking every sector: ${bytes(done * 1e6)} of ${bytes(total * 1e6)}`;
  if (step === 'opening') return 'opening the disc';
  if (step === 'titleSet') return `title set ${done + 1} of ${total}`;
  if (step === 'playlist') return `playlist ${done + 1} of ${total}`;
  if (step === 'clip') return `clip ${done + 1} of ${total}`;
  if (step === 'looking') return `looking at title ${done + 1} of ${total}`;
  return 'following the menus';
}
