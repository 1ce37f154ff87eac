import { randomUUID } from 'node:crypto';
import { closeSync, existsSync, openSync } from 'node:fs';
import { readFile, stat } from 'node:fs/promises';
import path from 'node:path';
import { z } from 'zod';
import { WorkError } from '@/contract';
import { makeFolderDurably, writeDurably } from './durable';

/** Folder in a storage for what is not a result: its mark, and unfinished files, since only inside one file system is a rename atomic. */
export const WORKSHOP = '.careful-vault';
const MARK = path.join(WORKSHOP, 'storage.json');
const MAX_MARK_BYTES = 4096;

/** By its mark a storage is known again, wherever it is mounted; what is mounted in its place, or an empty mount point, has none or another. */
const MarkSchema = z.object({
  version: z.literal(1),
  id: z.string().regex(/^[0-9a-f-]{36}$/),
  madeAt: z.string(),
});
export type StorageMark = z.infer<typeof MarkSchema>;

/** @returns null where there is none, or what is there is none of ours. */
export async function readMark(storage: string): Promise<StorageMark | null> {
  const file = path.join(storage, MARK);
  try {
    const info = await stat(file);
    if (!info.isFile() || info.size > MAX_MARK_BYTES) return null;
    const parsed = MarkSchema.safeParse(JSON.parse(await readFile(file, 'utf8')));
    return parsed.success ? parsed.data : null;
  } catch {
    return null;
  }
}

/**
 * Marks a storage, once somebody has agreed to it. One that has a mark keeps it.
 * @throws system errors where it can not be written.
 */
export async function markStorage(storage: string): Promise<StorageMark> {
  const found = await readMark(storage);
  if (found) return found;
  const mark: StorageMark = { version: 1, id: randomUUID(), madeAt: new Date().toISOString() };
  makeFolderDurably(path.join(storage, WORKSHOP));
  writeDurably(path.join(storage, MARK), `${JSON.stringify(mark, null, 2)}\n`);
  return mark;
}

/** Where results of a job go, as its order says. `mark` is null in orders from before there were marks. */
export interface MarkedStorage {
  readonly name: string;
  readonly path: string;
  readonly mark: string | null;
}

/** Is this place the storage that was meant? Without a mark to look for, any folder is. */
export async function isThere({ path: folder, mark }: MarkedStorage): Promise<boolean> {
  if (mark !== null) return (await readMark(folder))?.id === mark;
  const info = await stat(folder).catch(() => null);
  return info?.isDirectory() ?? false;
}

/** The job waits for it. */
export const storageAway = (name: string): WorkError => new WorkError('storage-missing', `The library storage “${name}” is not there`);

/** Before anything is written. @throws WorkError `storage-missing`: the job waits for it. */
export async function requireThere(storage: MarkedStorage): Promise<void> {
  if (!(await isThere(storage))) throw storageAway(storage.name);
}

/** A storage that was seen to be the right one and is held open: what is done below `path` is done in it and nowhere else. */
export interface HeldStorage {
  readonly path: string;
  readonly release: () => void;
}

/**
 * Between a look at a mark and a write a storage can be unmounted, and its path then names an empty folder. So the folder is opened
 * first, its mark is read through what is open, and everything else is reached through it as well: proc(5), `/proc/pid/fd`. A file system
 * that is held open can not be unmounted but lazily, and then stays where it is reached until it is released.
 * @throws WorkError `storage-missing`.
 */
export async function holdStorage(storage: MarkedStorage): Promise<HeldStorage> {
  let handle: number;
  try {
    handle = openSync(storage.path, 'r');
  } catch {
    throw storageAway(storage.name);
  }
  const release = () => {
    closeSync(handle);
  };
  const held = `/proc/${process.pid}/fd/${handle}`;
  const reached = existsSync(held) ? held : storage.path; // without /proc there is nothing better than the path
  try {
    await requireThere({ ...storage, path: reached });
  } catch (error) {
    release();
    throw error;
  }
  return { path: reached, release };
}
