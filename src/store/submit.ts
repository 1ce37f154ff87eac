import { readingForReel, type Reel } from '@/core/reels';
import type { SourceRef } from '@/contract';
import { call } from './api';
import type { DiscRecord } from './db';

/** Where a reel goes: the storage, the folder in it, and the file name without extension. */
export interface Destination {
  readonly storage: string;
  readonly folder: string;
  readonly fileName: string;
}

/** Sends a reel to the queue, with all of its disc that a job needs. @returns the job's identifier. @throws ApiError. */
export async function submitReel(
  disc: DiscRecord,
  source: SourceRef,
  reel: Reel,
  { storage, folder, fileName }: Destination,
): Promise<string> {
  const reading = readingForReel(disc.reading, reel);
  const body = { source, fingerprint: disc.fingerprint, reading, reel: { ...reel, fileName }, storage, folder };
  return (await call('submitJob', { body })).jobId;
}
