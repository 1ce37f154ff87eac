import { access, constants, mkdir, open, rm, rmdir, stat, statfs } from 'node:fs/promises';
import path from 'node:path';
import type { MatroskaSink } from '@/core/matroska';
import { WorkError, storagesOf, type Job } from '@/contract';
import { WORKSHOP, requireThere, storageAway, type MarkedStorage } from './storage-mark';

export const workshopOf = (storage: string, jobId: string): string => path.join(storage, WORKSHOP, jobId);

export interface StorageCheck {
  readonly available: boolean;
  readonly writable: boolean;
  readonly freeBytes: number | null;
}

export async function checkStorage(folder: string): Promise<StorageCheck> {
  const info = await stat(folder).catch(() => null);
  if (!info?.isDirectory()) return { available: false, writable: false, freeBytes: null };
  const writable = await access(folder, constants.W_OK).then(
    () => true,
    () => false,
  );
  const space = await statfs(folder).catch(() => null);
  return {
    available: true,
    writable, // Some file systems do not count their blocks: their space is unknown, not none.
    freeBytes: space && space.blocks > 0 ? space.bavail * space.bsize : null,
  };
}

/**
 * Refuses before anything is written.
 * @throws WorkError `storage-missing`, `storage-read-only`, `storage-full`.
 */
export async function requireStorage(storage: MarkedStorage, neededBytes: number): Promise<void> {
  await requireThere(storage);
  const { name } = storage;
  const { writable, freeBytes } = await checkStorage(storage.path);
  if (!writable) throw new WorkError('storage-read-only', `The library storage “${name}” can not be written`);
  if (freeBytes !== null && freeBytes < neededBytes) {
    throw new WorkError(
      'storage-full',
      `“${name}” has ${Math.floor(freeBytes / 1e6)} MB free, about ${Math.ceil(neededBytes / 1e6)} MB are needed`,
    );
  }
}

/** Where a job's unfinished files stand. @throws WorkError `storage-missing`: nothing is made in the place of a storage that is away. */
export async function makeWorkshop(storage: MarkedStorage, jobId: string): Promise<string> {
  await requireThere(storage);
  const folder = workshopOf(storage.path, jobId);
  try {
    // A storage with a mark has the folder that it stands in. Only then is nothing made in its place when it goes after this look at it.
    await mkdir(folder, { recursive: storage.mark === null });
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (code === 'ENOENT') throw storageAway(storage.name);
    if (code !== 'EEXIST') throw error;
  }
  return folder;
}

export async function removeWorkshop(storage: string, jobId: string): Promise<void> {
  await rm(workshopOf(storage, jobId), { recursive: true, force: true });
  await rmdir(path.join(storage, WORKSHOP)).catch(() => undefined); // not empty: the storage's mark, or another job at work
}

/** Unfinished files of a job, wherever its results would have gone. @throws system errors. */
export async function removeWorkshops(job: Pick<Job, 'id' | 'storage' | 'places'>): Promise<void> {
  for (const { path: storage } of storagesOf(job)) await removeWorkshop(storage, job.id);
}

/** A file as a sink for the Matroska writer. Short writes are continued, errors keep their system code. */
export async function openFileSink(file: string): Promise<MatroskaSink & { close(): Promise<void>; abandon(): Promise<void> }> {
  const handle = await open(file, 'w');
  let end = 0;
  const put = async (data: Uint8Array, at: number): Promise<void> => {
    for (let done = 0; done < data.byteLength;) done += (await handle.write(data, done, data.byteLength - done, at + done)).bytesWritten;
  };
  return {
    write: async (data) => {
      await put(data, end);
      end += data.byteLength;
    },
    writeAt: (offset, data) => put(data, offset),
    /** After an error: it is the error that counts, whatever closing has to say. */
    abandon: () => handle.close().catch(() => undefined),
    close: async () => {
      try {
        await handle.sync();
      } finally {
        await handle.close();
      }
    },
  };
}
