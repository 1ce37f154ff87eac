import { existsSync, renameSync, rmdirSync } from 'node:fs';
import { readFile, readdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { z } from 'zod';
import { WorkError } from '@/contract';
import type { FileSystem } from './file-system';

/**
 * A stand-in for a network share: a folder of this machine with a quota, that can be unplugged. What it is stands in a file beside it, as
 * with the discs of a simulated drive; while it is unplugged the folder has another name, so that nobody reaches it by its own.
 */
export const SimulatedShareSchema = z.object({ standIn: z.literal('network share'), quotaBytes: z.number().int().positive() });
export type SimulatedShare = z.infer<typeof SimulatedShareSchema>;

export const shareFile = (storage: string): string => `${storage}.share.json`;
const unplugged = (storage: string): string => `${storage}.unplugged`;

/** @returns null where a storage is what it is. What stands beside it may be on something that does not answer: it is waited for apart. */
export async function shareAt(storage: string): Promise<SimulatedShare | null> {
  try {
    return SimulatedShareSchema.parse(JSON.parse(await readFile(shareFile(storage), 'utf8')));
  } catch {
    return null;
  }
}

/** Files that a share of a demonstration can be thought to have; counting goes no further. */
const MOST_COUNTED = 100_000;

/** Bytes of all files below a folder; none where it is not there. */
export async function bytesBelow(folder: string): Promise<number> {
  let sum = 0;
  let counted = 0;
  const into = async (inside: string): Promise<void> => {
    for (const entry of await readdir(inside, { withFileTypes: true }).catch(() => [])) {
      if (++counted > MOST_COUNTED) return;
      const at = path.join(inside, entry.name);
      if (entry.isDirectory()) await into(at);
      else if (entry.isFile())
        sum += await stat(at).then(
          (s) => s.size,
          () => 0,
        );
    }
  };
  await into(folder);
  return sum;
}

/** What a storage stands on, with the quota of a share that is simulated. */
export async function shareSystem(storage: string, real: FileSystem): Promise<FileSystem> {
  const share = await shareAt(storage);
  if (!share) return real;
  const left = Math.max(0, share.quotaBytes - (await bytesBelow(storage)));
  return { ...real, name: 'simulated share', freeBytes: Math.min(left, real.freeBytes ?? left) };
}

/** @throws WorkError `bad-request` where it is no simulated share; system errors. */
export async function plug(storage: string, isPlugged: boolean): Promise<void> {
  if (!(await shareAt(storage))) throw new WorkError('bad-request', 'This storage is none that could be unplugged here');
  const [from, to] = isPlugged ? [unplugged(storage), storage] : [storage, unplugged(storage)];
  if (!existsSync(from)) return;
  // An empty folder in its place, as a mount point is one, goes; one with anything in it is somebody's.
  if (existsSync(to)) rmdirSync(to);
  renameSync(from, to);
}

const LOOK_MS = 150;

/** Raises a signal when a simulated share has more than its quota: what a real one says to the write that goes beyond. */
export class QuotaWatch {
  private readonly controller = new AbortController();
  private readonly timer: NodeJS.Timeout;
  /** Why the signal was raised. */
  exceeded: WorkError | null = null;

  private constructor(private readonly shares: readonly { name: string; path: string; quotaBytes: number }[]) {
    this.timer = setInterval(() => void this.look(), LOOK_MS);
  }

  /** @returns null where there is nothing to watch. */
  static async over(storages: readonly { name: string; path: string }[]): Promise<QuotaWatch | null> {
    const found = await Promise.all(storages.map(async (s) => ({ ...s, share: await shareAt(s.path) })));
    const shares = found.flatMap(({ name, path: at, share }) => (share ? [{ name, path: at, quotaBytes: share.quotaBytes }] : []));
    return shares.length > 0 ? new QuotaWatch(shares) : null;
  }

  /** Of the share that a file or folder stands in; null where it stands in none. */
  static async above(place: string): Promise<QuotaWatch | null> {
    for (let at = path.dirname(place); at !== path.dirname(at); at = path.dirname(at))
      if (existsSync(shareFile(at))) return QuotaWatch.over([{ name: path.basename(at), path: at }]);
    return null;
  }

  get signal(): AbortSignal {
    return this.controller.signal;
  }

  private async look(): Promise<void> {
    for (const { name, path: storage, quotaBytes } of this.shares)
      if (!this.exceeded && (await bytesBelow(storage)) > quotaBytes) {
        this.exceeded = new WorkError('storage-full', `The quota of “${name}” is used up`);
        this.controller.abort();
      }
  }

  stop(): void {
    clearInterval(this.timer);
  }
}
