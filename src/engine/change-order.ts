import { readdir, rm } from 'node:fs/promises';
import path from 'node:path';
import { MASTER, recipesById } from '@/core/recipes';
import { safeFileName, safeFolderPath } from '@/core/reels';
import { JobSchema, WorkError, placeOf, type ChangeWish, type Job } from '@/contract';
import { writeDurably } from '@/node/durable';
import { masterBytesThere, type ProgressFile } from '@/node/job-folder';
import { removeWorkshop, removeWorkshops, requireRoomFor, roomTaken, workshopOf } from '@/node/library';
import { sidecarOf } from '@/node/placing';
import { isThere } from '@/node/storage-mark';
import type { Encoders } from './encoders';
import type { JobRecord } from './job-record';
import { shownOrder } from './job-state';
import { claimOf, requireFreeInLibrary, type Claim } from './names';
import { requireMakeable } from './new-order';
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

/** How the names of unfinished files begin that are a master's, or made beside it. */
const OF_MASTER = [`${MASTER}.`, 'beside'];

/**
 * The storage in whose workshop a finished master stands that can be taken along to another; null where there is none, or it can not be
 * reached: then the disc is read again.
 */
async function masterStandsIn(progress: ProgressFile, before: Job): Promise<Job['storage'] | null> {
  if (!progress.finished.includes('master')) return null;
  // What is made beside it follows the first recipe, which may go elsewhere.
  const first = placeOf(before, before.reel.recipes[0] ?? MASTER).storage.path;
  if (progress.beside.length > 0 && first !== before.storage.path) return null;
  const storage = progress.broughtFrom ?? before.storage;
  return (await isThere(storage)) ? storage : null;
}

/**
 * What was begun of copies that are wanted no more, or otherwise, or elsewhere, goes; what was finished of the others stays.
 * @returns false where nothing is gone on with: a job that goes to another storage takes only a finished master along.
 */
async function forgetStale(record: JobRecord, before: Job, after: Job): Promise<boolean> {
  const { journal } = record;
  const progress = journal.readProgress();
  const isMoved = before.storage.path !== after.storage.path;
  const from = isMoved ? await masterStandsIn(progress, before) : progress.broughtFrom;
  if (isMoved && !from) {
    await removeWorkshops(before, progress.broughtFrom);
    journal.forgetProgress();
    return false;
  }
  const at = (job: Job, recipe: string) => placeOf(job, recipe).storage.path;
  const isKept = (copy: Job['copies'][number]) =>
    after.copies.some((other) => isSame(other, copy)) && at(before, copy.id) === at(after, copy.id);
  const kept = before.copies.filter(isKept).map((c) => c.id);
  const stale = before.copies.map((c) => c.id).filter((c) => !kept.includes(c));
  if (!isMoved && stale.length === 0) return true;
  const places = record.workPlaces;
  const broughtFrom = from?.path === after.storage.path ? null : from;
  journal.writeProgress({ ...progress, copies: progress.copies.filter((c) => kept.includes(c.recipe)), broughtFrom });
  for (const { path: place } of places) {
    const workshop = workshopOf(place, before.id);
    const staying = [...(place === from?.path ? OF_MASTER : []), ...kept.filter((c) => at(before, c) === place).map((c) => `${c}.`)];
    const goes = (name: string) =>
      isMoved ? !staying.some((start) => name.startsWith(start)) : stale.some((c) => name.startsWith(`${c}.`));
    const names = await readdir(workshop).catch(() => []);
    for (const name of names.filter(goes)) await rm(path.join(workshop, name), { recursive: true, force: true });
    if (isMoved && staying.length === 0) await removeWorkshop(place, before.id);
  }
  return true;
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
  requireMakeable(after.copies, after, encoders);
  const release = hold(claimOf(after));
  try {
    const isSame = after.storage.path === before.storage.path;
    await requireRoomFor(after, isSame ? await roomTaken(before, masterBytesThere(record.journal.readProgress())) : new Map());
    await requireFreeInLibrary(after, new Set(files.flatMap((file) => [file, sidecarOf(file)])));
    const isTakenAlong = await forgetStale(record, before, after);
    writeDurably(path.join(record.folder, 'job.json'), JSON.stringify(after, null, 1));
    record.reordered(after);
    await record.decide({
      type: 'changed',
      again: !isSame && !isTakenAlong,
      ...shownOrder(after),
    });
  } finally {
    release();
  }
}
