import { planPiece } from '@/core/assembly';
import { MASTER, holdsNothing, planEncode, recipesById } from '@/core/recipes';
import { encodeFacts, joinProblem, safeFileName, safeFolderPath } from '@/core/reels';
import { WorkError, type Job, type SubmitJob } from '@/contract';
import { requireRoomFor } from '@/node/library';
import type { EngineConfig } from './config';
import type { Encoders } from './encoders';
import { claimOf, requireFreeInLibrary, type Claim } from './names';
import type { Storages } from './storages';

/** What is asked for: of the reading, what is wanted of it and where it goes. */
export type OrderWish = Pick<SubmitJob, 'reel' | 'reading' | 'copies' | 'storage' | 'folder' | 'places'>;

/** What of a job follows from a wish. */
type Ordered = Pick<Job, 'storage' | 'folder' | 'fileName' | 'places' | 'reel' | 'copies' | 'reading'>;

interface Surroundings {
  readonly configured: EngineConfig['storages'];
  readonly storages: Pick<Storages, 'known'>;
  readonly encoders?: Pick<Encoders, 'require'> | undefined;
  /** Takes names until they are given back. @throws WorkError `name-taken`. */
  readonly hold: (claim: Claim) => () => void;
}

/** @throws WorkError `not-known`. */
function configuredAs(configured: EngineConfig['storages'], id: string): EngineConfig['storages'][number] {
  const storage = configured.find((s) => s.id === id);
  if (!storage) throw new WorkError('not-known', 'This storage is not configured');
  return storage;
}

/** @throws DiscError where a piece can not be taken, WorkError `bad-request` where pieces can not be joined. */
function requireJoinable({ reel, reading }: OrderWish): void {
  const titles = reel.pieces.map((piece) => planPiece(reading, piece, reel.damage === 'around').title);
  const [first] = titles;
  for (const title of titles) {
    const problem = first ? joinProblem(first, title) : null;
    if (problem) throw new WorkError('bad-request', problem);
  }
}

/** Each of the copies can be made of the reel, on this machine. @throws WorkError `bad-request`, `encoder-missing`. */
export function requireMakeable(
  copies: Job['copies'],
  { reading, reel }: Pick<Job, 'reading' | 'reel'>,
  encoders: Surroundings['encoders'],
): void {
  const facts = encodeFacts(reading, reel);
  if (!facts) return;
  for (const copy of copies) {
    const plan = planEncode(copy, facts);
    if (holdsNothing(plan)) throw new WorkError('bad-request', `“${copy.name}” makes a file of sound, and the reel has none`);
    encoders?.require(plan);
  }
}

/** The copies that a reel wants, all of which can be made here. @throws WorkError `bad-request`, `encoder-missing`. */
function copiesOf(wish: OrderWish, encoders: Surroundings['encoders']): Job['copies'] {
  const { reel, copies: sent } = wish;
  const known = recipesById(sent);
  const unknown = reel.recipes.find((recipe) => recipe !== MASTER && !known.has(recipe));
  if (unknown !== undefined) throw new WorkError('bad-request', `The recipe ${unknown} was not sent with the reel`);
  const copies = reel.recipes.flatMap((recipe) => known.get(recipe) ?? []);
  requireMakeable(copies, wish, encoders);
  return copies;
}

/**
 * Makes an order of a wish, and has it taken in while its names are spoken for.
 * @returns what `takeIn` returns. @throws WorkError and DiscError for whatever can be known before the work starts; and what `takeIn` throws.
 */
export async function placeOrder<T>(
  wish: OrderWish,
  { configured, storages, encoders, hold }: Surroundings,
  takeIn: (ordered: Ordered) => T,
): Promise<T> {
  const { reel, reading } = wish;
  requireJoinable(wish);
  configuredAs(configured, wish.storage);
  const fileName = safeFileName(reel.fileName || reel.name);
  const folder = safeFolderPath(wish.folder);
  const copies = copiesOf(wish, encoders);
  const chosen = reel.recipes.flatMap((recipe) => wish.places.find((p) => p.recipe === recipe) ?? []);
  const places = chosen.map((p) => ({
    recipe: p.recipe,
    storage: p.storage ?? wish.storage,
    folder: p.folder === null ? folder : safeFolderPath(p.folder),
    fileName: p.fileName === null ? fileName : safeFileName(p.fileName),
  }));
  const placed = (of: (id: string) => Job['storage']): Ordered => ({
    storage: of(wish.storage),
    folder,
    fileName,
    places: places.map((p) => ({ ...p, storage: of(p.storage) })),
    reel,
    copies,
    reading,
  });
  const unmarked = (id: string) => ({ ...configuredAs(configured, id), mark: null });
  // Held before anything is waited for: of many that are sent at once with one name, one is taken in.
  const release = hold(claimOf(placed(unmarked)));
  try {
    const known = new Map<string, Job['storage']>();
    for (const id of new Set([wish.storage, ...places.map((p) => p.storage)])) {
      const { name, path: place, mark } = await storages.known(id);
      known.set(id, { id, name, path: place, mark });
    }
    const ordered = placed((id) => known.get(id) ?? unmarked(id));
    await requireRoomFor(ordered);
    await requireFreeInLibrary(ordered);
    return takeIn(ordered);
  } finally {
    release();
  }
}
