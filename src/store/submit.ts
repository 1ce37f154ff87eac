import { recipesById } from '@/core/recipes';
import { readingForReel, reelPlace, type HouseRules, type Reel } from '@/core/reels';
import type { EngineState, SourceRef, StorageState, SubmitPlaces } from '@/contract';
import { call } from './api';
import type { DiscRecord, DraftRecord } from './db';
import { ownRecipes } from './recipes';

/** Where a reel goes: the storage, the folder in it, and the file name without extension. */
export interface Destination {
  readonly storage: string;
  readonly folder: string;
  readonly fileName: string;
  /** Of copies that go elsewhere. */
  readonly places: SubmitPlaces;
}

/** The storage that a draft names, or the first there is; null where there is none. */
export const storageOf = (draft: Pick<DraftRecord, 'storage'> | null, engine: Pick<EngineState, 'storages'> | null): StorageState | null =>
  engine?.storages.find((s) => s.id === draft?.storage) ?? engine?.storages[0] ?? null;

/** Where a reel of a draft goes, by what is written there and by the archive's patterns; null where there is no storage. */
export function destinationOf(
  disc: Pick<DiscRecord, 'name'>,
  draft: Pick<DraftRecord, 'storage' | 'folder'>,
  reel: Reel,
  rules: HouseRules,
  engine: Pick<EngineState, 'storages'> | null,
): Destination | null {
  const storage = storageOf(draft, engine);
  if (!storage) return null;
  return { storage: storage.id, ...reelPlace(disc.name, reel, draft.folder, rules) };
}

/** Sends a reel to the queue, with all of its disc that a job needs. @returns the job's identifier. @throws ApiError. */
export async function submitReel(
  disc: DiscRecord,
  source: SourceRef,
  reel: Reel,
  { storage, folder, fileName, places }: Destination,
): Promise<string> {
  const reading = readingForReel(disc.reading, reel);
  const known = recipesById(await ownRecipes());
  const copies = reel.recipes.flatMap((id) => known.get(id) ?? []);
  const body = { copies, source, fingerprint: disc.fingerprint, reading, reel: { ...reel, fileName }, storage, folder, places };
  return (await call('submitJob', { body })).jobId;
}
