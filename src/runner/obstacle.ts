import { access } from 'node:fs/promises';
import { DiscError } from '@/core/bytes';
import { WorkError, storagesOf, toProblem, type Job, type JobSource } from '@/contract';
import { requireRoomFor, roomTaken } from '@/node/library';
import { isDiscThere } from '@/node/open-volume';
import { isThere, storageAway } from '@/node/storage-mark';

/** A storage that the job writes to and that is not there; null where all are. */
async function firstAway(job: Job): Promise<Job['storage'] | null> {
  for (const storage of storagesOf(job)) if (!(await isThere(storage))) return storage;
  return null;
}

/** What the job reads is not there any more: a disc that was pulled out, a disk with images that was unplugged. */
async function sourceAway({ kind, path, label }: JobSource): Promise<WorkError | null> {
  if (kind !== 'drive')
    return access(path).then(
      () => null,
      () => new WorkError('source-missing', `“${label}” is not there`),
    );
  return (await isDiscThere(path)) ? null : new WorkError('disc-away', `“${label}” was taken out while it was read`);
}

/**
 * Why a job came to a stop, where that is nothing that it could fail of: what it stands on is away or full, and it goes on when that is
 * mended. @param reads its disc is needed still. @returns null where waiting would not help.
 */
export async function obstacleOf(job: Job, error: unknown, reads: boolean, masterBytes: number | null): Promise<Error | null> {
  // Whatever went wrong first: without its storage the job can not go on, and nothing is to be written in its place.
  if (error instanceof WorkError && error.code === 'storage-missing') return error;
  const away = await firstAway(job);
  if (away) return storageAway(away.name);
  if (reads) {
    if (error instanceof DiscError && error.code === 'other-disc' && job.source.kind === 'drive') return error;
    const gone = await sourceAway(job.source);
    if (gone) return gone;
  }
  if (toProblem(error).code !== 'storage-full') return null;
  // Where there is room, as far as anybody knows, waiting for it would be for ever.
  return requireRoomFor(job, await roomTaken(job, masterBytes)).then(
    () => null,
    (e: unknown) => (e instanceof WorkError && e.code === 'storage-full' ? e : null),
  );
}
