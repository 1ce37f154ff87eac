import { folderOf, reelFileName, reelValues, type HouseRules } from '@/core/reels';
import type { VaultEntry } from '@/contract';
import type { DiscRecord } from '@/store/db';
import type { Draft } from '@/store/draft';

/** Where a reel's file will be, and whether something of that name is planned or there. */
export interface ReelPlace {
  readonly path: string;
  readonly clash: boolean;
}
export const NO_PLACE: ReelPlace = { path: '', clash: false };

/** File names and folders of all reels, with clashes between them and with what the storage has. */
export function placesOf(
  disc: DiscRecord,
  draft: Pick<Draft, 'record'>,
  rules: HouseRules,
  outputs: readonly VaultEntry[],
  storage: string | null,
): Map<string, ReelPlace> {
  const reels = draft.record?.reels ?? [];
  const paths = reels.map(({ reel }) =>
    [folderOf(draft.record?.folder ?? [], reelValues(disc.name, reel)), reelFileName(disc.name, reel, rules)]
      .filter((p) => p !== '')
      .join('/'),
  );
  const key = (path: string) => path.normalize('NFC').toLowerCase();
  const there = new Set(
    outputs.filter((o) => storage === null || o.storage === storage).map((o) => key(o.path.replace(/\.[a-z0-9]+$/i, ''))),
  );
  const planned = new Map<string, number>();
  for (const [i, path] of paths.entries()) if (reels[i]?.jobId === null) planned.set(key(path), (planned.get(key(path)) ?? 0) + 1);
  return new Map(
    reels.map(({ id, jobId }, i) => {
      const path = paths[i] ?? '';
      return [id, { path, clash: jobId === null && ((planned.get(key(path)) ?? 0) > 1 || there.has(key(path))) }];
    }),
  );
}
