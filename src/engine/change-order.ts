import { readdir, rm } from 'node:fs/promises';
import path from 'node:path';
import { MASTER, planEncode, recipesById } from '@/core/recipes';
import { encodeFacts, safeFileName, safeFolderPath } from '@/core/reels';
import { JobSchema, WorkError, placeOf, type ChangeWish, type Job } from '@/contract';
import { writeDurably } from '@/node/durable';
import { removeWorkshops, requireRoomFor, roomTaken, workshopOf } from '@/node/library';
import { sidecarOf } from '@/node/placing';
import type { Encoders } from './encoders';
import type { JobRecord } from './job-record';
import { shownOrder } from './job-state';
import { claimOf, requireFreeInLibrary, type Claim } from './names';
import type { Storages } from './storages';

interface Surroundings {
  readonly storages: Pick<Storages, 'known'>;
  readonly encoders?: Pick<Encoders, 'require'> | undefined;
  /** Takes names until they are given back. @throws WorkError `name-taken`. */
  readonly hold: (claim: Claim) => () => void;
}

const isSame = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The order as it would be. @throws WorkError `bad-request`, `placed-already`, `not-known`, and those of storages. */
async function changedOrder(job: Job, wish: ChangeWish, isPlaced: boolean, storages: Surroundings['storages']): Promise<Job> {
  const { recipes } = wish;
  const known = recipesById(wish.copies);
  const unknown = recipes.find((r) => r !== MASTER && !known.has(r));
  if (unknown !== undefined) throw new WorkError('bad-request', `The recipe ${unknown} was not sent with the change`);
  if (job.origin && recipes.includes(MASTER))
    throw new WorkError('bad-request', 'The master that its copies are made of is in the library');
  const [folder, fileName] = [safeFolderPath(wish.folder), safeFileName(wish.fileName)];
  const isMoved = wish.storage !== job.storage.id || folder !== job.folder || fileName !== job.fileName;
  if (isMoved && isPlaced) throw new WorkError('placed-already', 'A part of it is in the library already, under the name that it had');
  const { id, name, path: place, mark } = wish.storage === job.storage.id ? job.storage : await storages.known(wish.storage);
  return JobSchema.parse({
    ...job,
    reel: { ...job.reel, recipes, fileName },
    copies: recipes.flatMap((r) => known.get(r) ?? []),
    storage: { id, name, path: place, mark },
    ...{ folder, fileName },
    places: job.places.filter((p) => recipes.includes(p.recipe)),
  });
}

/** What was begun of copies that are wanted no more, or otherwise, goes; what was proven of the others stays. */
async function forgetStale(record: JobRecord, before: Job, after: Job): Promise<void> {
  const { journal } = record;
  if (before.storage.path !== after.storage.path) {
    // The master stands in the storage that it was to go to: on another it is read again.
    await removeWorkshops(before);
    journal.forgetProgress();
    return;
  }
  const stale = before.copies.filter((c) => !after.copies.some((other) => isSame(other, c))).map((c) => c.id);
  if (stale.length === 0) return;
  const progress = journal.readProgress();
  journal.writeProgress({ ...progress, copies: progress.copies.filter((c) => !stale.includes(c.recipe)) });
  for (const recipe of stale) {
    const workshop = workshopOf(placeOf(before, recipe).storage.path, before.id);
    const names = await readdir(workshop).catch(() => []);
    for (const name of names) if (name.startsWith(`${recipe}.`)) await rm(path.join(workshop, name), { recursive: true, force: true });
  }
}

/**
 * Changes where the results of a job that failed or was cancelled go, what they are called, or by which recipes they are made. Nothing is
 * changed where any of it can not be.
 * @throws WorkError `placed-already`, `name-taken`, `encoder-missing`, and those of storages and journals.
 */
export async function changeOrder(record: JobRecord, wish: ChangeWish, { storages, encoders, hold }: Surroundings): Promise<void> {
  const before = record.journal.readJob();
  const { files } = record.told;
  const after = await changedOrder(before, wish, files.length > 0, storages);
  const facts = encodeFacts(after.reading, after.reel);
  if (facts) for (const copy of after.copies) encoders?.require(planEncode(copy, facts));
  const release = hold(claimOf(after));
  try {
    const isSame = after.storage.path === before.storage.path;
    await requireRoomFor(after, isSame ? await roomTaken(before, record.journal.readProgress().masterBytes) : new Map());
    await requireFreeInLibrary(after, new Set(files.flatMap((file) => [file, sidecarOf(file)])));
    await forgetStale(record, before, after);
    writeDurably(path.join(record.folder, 'job.json'), JSON.stringify(after, null, 1));
    record.reordered(after);
    await record.decide({
      type: 'changed',
      again: after.storage.path !== before.storage.path,
      ...shownOrder(after),
    });
  } finally {
    release();
  }
}
