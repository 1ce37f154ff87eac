import { access, constants, mkdir, open, rm, rmdir, stat } from 'node:fs/promises';
import path from 'node:path';
import type { MatroskaSink } from '@/core/matroska';
import { recipesById } from '@/core/recipes';
import { estimateReel, neededAt, type RoomNeeded } from '@/core/reels';
import { WorkError, placeOf, storagesOf, type Job } from '@/contract';
import { fileSystemOf, type FileSystem } from './file-system';
import { bytesBelow, shareSystem } from './simulated-share';
import type { SumsThread } from './sums-thread';
import { WORKSHOP, requireThere, storageAway, type MarkedStorage } from './storage-mark';

export const workshopOf = (storage: string, jobId: string): string => path.join(storage, WORKSHOP, jobId);

export interface StorageCheck {
  readonly available: boolean;
  readonly writable: boolean;
  readonly freeBytes: number | null;
  readonly fileSystem: string | null;
  /** Bytes; null where no film reaches the limit. */
  readonly largestFile: number | null;
}

/** What a folder stands on, on this machine, or as a share that is simulated has it. */
const systemOf = async (folder: string): Promise<FileSystem> => shareSystem(folder, await fileSystemOf(folder));

/** @param look what a folder stands on, or a stand-in for what is not on this machine. */
export async function checkStorage(folder: string, look: (folder: string) => Promise<FileSystem> = systemOf): Promise<StorageCheck> {
  const info = await stat(folder).catch(() => null);
  if (!info?.isDirectory()) return { available: false, writable: false, freeBytes: null, fileSystem: null, largestFile: null };
  const writable = await access(folder, constants.W_OK).then(
    () => true,
    () => false,
  );
  const { name, largestFile, freeBytes } = await look(folder);
  return { available: true, writable, freeBytes, fileSystem: name, largestFile };
}

/**
 * Refuses before anything is written.
 * @throws WorkError `storage-missing`, `storage-read-only`, `storage-full`, `file-too-large`.
 */
export async function requireStorage(
  storage: MarkedStorage,
  { all: neededBytes, largest }: RoomNeeded,
  look: (folder: string) => Promise<FileSystem> = systemOf,
): Promise<void> {
  await requireThere(storage);
  const { name } = storage;
  const { writable, freeBytes, largestFile, fileSystem } = await checkStorage(storage.path, look);
  if (!writable) throw new WorkError('storage-read-only', `The library storage “${name}” can not be written`);
  if (largestFile !== null && largest > largestFile)
    throw new WorkError(
      'file-too-large',
      `“${name}” stands on ${fileSystem ?? 'a file system'} that holds files of up to ${(largestFile / 1e9).toFixed(2)} GB; one of about ${(largest / 1e9).toFixed(2)} GB would be written`,
    );
  if (freeBytes !== null && freeBytes < neededBytes) {
    throw new WorkError(
      'storage-full',
      `“${name}” has ${Math.floor(freeBytes / 1e6)} MB free, about ${Math.ceil(neededBytes / 1e6)} MB are needed`,
    );
  }
}

type Placed = Pick<Job, 'reading' | 'reel' | 'copies' | 'storage' | 'folder' | 'fileName' | 'places'>;

/** Room that a job's results take still on each of its storages, by their places. @param taken what stands there of it already; see `roomTaken`. */
export function roomFor(job: Placed, taken: ReadonlyMap<string, number>): Map<string, RoomNeeded> {
  const needed = neededAt(estimateReel(job.reading, job.reel, recipesById(job.copies)), (recipe) => placeOf(job, recipe).storage.path);
  return new Map([...needed].map(([place, { all, largest }]) => [place, { all: Math.max(0, all - (taken.get(place) ?? 0)), largest }]));
}

/**
 * Bytes of a job that stand in its storages already, by their places: what is unfinished, and its master, wherever that is.
 * @param masterBytes of a master that is finished.
 */
export async function roomTaken(job: Pick<Job, 'id' | 'storage' | 'places'>, masterBytes: number | null): Promise<Map<string, number>> {
  const taken = new Map<string, number>();
  for (const { path: storage } of storagesOf(job)) taken.set(storage, await bytesBelow(workshopOf(storage, job.id)));
  const { path: own } = job.storage;
  return taken.set(own, Math.max(taken.get(own) ?? 0, masterBytes ?? 0));
}

/**
 * Refuses what a job's results will not have room for. @param taken what stands there of it already; see `roomTaken`.
 * @throws as `requireStorage`.
 */
export async function requireRoomFor(job: Placed, taken: ReadonlyMap<string, number> = new Map()): Promise<void> {
  const needed = roomFor(job, taken);
  for (const storage of storagesOf(job)) await requireStorage(storage, needed.get(storage.path) ?? { all: 0, largest: 0 });
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

/**
 * Unfinished files of a job, wherever its results would have gone. @param broughtFrom the storage where its master stands still, if that is
 * another. @throws system errors.
 */
export async function removeWorkshops(job: Pick<Job, 'id' | 'storage' | 'places'>, broughtFrom: Job['storage'] | null): Promise<void> {
  for (const { path: storage } of [...storagesOf(job), ...(broughtFrom ? [broughtFrom] : [])]) await removeWorkshop(storage, job.id);
}

/** A file as a sink for the Matroska writer, whose clusters a thread writes where one is given. Short writes are continued, errors keep their system code. */
export async function openFileSink(
  file: string,
  thread: SumsThread | null = null,
): Promise<MatroskaSink & { close(): Promise<void>; abandon(): Promise<void> }> {
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
    ...(thread && {
      writeSealed: (data: Uint8Array, sumAt: number, from: number) => {
        const offset = end;
        end += data.byteLength;
        return thread.seal({ data, sumAt, from, file: handle.fd, offset });
      },
    }),
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
