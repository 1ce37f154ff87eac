import { open, rm } from 'node:fs/promises';
import path from 'node:path';
import { algorithmOf } from '@/core/proof';
import { MASTER } from '@/core/recipes';
import { storagesOf, type BesideResult, type Job } from '@/contract';
import { copyHashed } from '@/node/copy-hashed';
import { syncFolder } from '@/node/durable';
import { digestFile } from '@/node/hash';
import { removeWorkshop, workshopOf } from '@/node/library';
import { besidePart } from './beside';
import { sizeOf, unfinishedPath, type StageContext } from './stages';

/** A job that goes to another storage than at first: its finished master is taken along, and the disc is not read again for it. */

export interface Brought {
  readonly masterBytes: number;
  readonly beside: readonly BesideResult[];
}

/**
 * Copies a finished master, and what was made beside it, out of the workshop where they stand into the job's own. What is copied is flushed;
 * whether it is what was read is for the proof to say, which follows.
 * @returns false where they can not be had any more. @throws of the storage that they go to.
 */
export async function bringMaster({ job, signal, progress }: StageContext, from: Job['storage'], brought: Brought): Promise<boolean> {
  const files = [
    { to: await unfinishedPath(job, MASTER), bytes: brought.masterBytes, digest: null },
    ...(await Promise.all(
      brought.beside.map(async ({ ending, sizeBytes, digest }) => ({ to: await besidePart(job, ending), bytes: sizeBytes, digest })),
    )),
  ];
  const total = files.reduce((sum, { bytes }) => sum + bytes, 0);
  let done = 0;
  for (const { to, bytes, digest } of files) {
    const standing = path.join(workshopOf(from.path, job.id), path.basename(to));
    // All of it was copied before, and no more to be noted of it when this came to a stop.
    if (standing === to || ((await sizeOf(standing)) === null && (await isWhole(to, bytes, digest)))) continue;
    await rm(to, { force: true }); // of a copy that was stopped
    const copied = await copyOf(standing, to, digest, (read) => {
      signal.throwIfAborted();
      progress('master proof', (done += read) / 2, total, 'bytes');
    });
    if (copied !== bytes) return false;
    syncFolder(path.dirname(to));
  }
  return true;
}

async function isWhole(file: string, bytes: number, digest: string | null): Promise<boolean> {
  return (await sizeOf(file)) === bytes && (digest === null || (await digestFile(file, algorithmOf(digest))) === digest);
}

/** @returns how much was copied; null where it is not there, can not be read, or is not what it was. @throws of where it goes to. */
async function copyOf(from: string, to: string, digest: string | null, onBytes: (bytes: number) => void): Promise<number | null> {
  const source = await open(from, 'r').catch(() => null);
  if (!source) return null;
  let isUnreadable = false;
  const read = (at: number, target: Uint8Array): Promise<number> =>
    source.read(target, 0, target.byteLength, at).then(
      ({ bytesRead }) => bytesRead,
      (error: unknown) => {
        isUnreadable = true;
        throw error;
      },
    );
  try {
    const algorithm = digest === null ? null : algorithmOf(digest);
    const { digests, bytes } = await copyHashed(read, to, algorithm ? [algorithm] : [], onBytes);
    return algorithm && digests.get(algorithm) !== digest ? null : bytes;
  } catch (error) {
    if (isUnreadable) return null;
    throw error;
  } finally {
    await source.close();
  }
}

/** What was taken along goes where it stood before. */
export async function forgetBrought(job: Job, from: Job['storage']): Promise<void> {
  if (!storagesOf(job).some(({ path: storage }) => storage === from.path)) await removeWorkshop(from.path, job.id);
  else await rm(path.join(workshopOf(from.path, job.id), path.basename(await unfinishedPath(job, MASTER))), { force: true });
}
