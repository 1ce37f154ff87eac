import type { Batch } from '@/store/batch';
import { list, plural } from '../format';

/** "12 jobs: 10 in the vault, proven, 1 of them of a disc that is not whole, and 1 failed". */
export function batchText({ jobs, done, withGaps, failed, cancelled, open }: Batch): string {
  const parts = [
    done.length > 0 ? `${done.length} in the vault, proven` : '',
    withGaps.length > 0 ? `${withGaps.length} in the vault, with gaps` : '',
    failed.length > 0 ? `${failed.length} failed` : '',
    cancelled.length > 0 ? `${cancelled.length} cancelled` : '',
    open.length > 0 ? `${open.length} to come` : '',
  ].filter((p) => p !== '');
  return `${plural(jobs.length, 'job')}: ${list(parts)}.`;
}
