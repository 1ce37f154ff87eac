import { sourceKey, type ReadingTask, type SourceRef } from '@/contract';
import { call } from '@/store/api';

/** What is known last of reading a source. */
export const lastTask = (tasks: readonly ReadingTask[], ref: SourceRef): ReadingTask | undefined =>
  tasks.filter((t) => sourceKey(t.source) === sourceKey(ref)).at(-1);

export const startReading = (source: SourceRef) => call('startReading', { body: { source, thorough: false } });
