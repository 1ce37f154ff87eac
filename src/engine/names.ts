import { access, constants, readdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { MASTER, endingsOf, recipesById } from '@/core/recipes';
import { besideFiles } from '@/core/reels';
import { WorkError, placeOf, type Job } from '@/contract';
import { sidecarOf } from '@/node/placing';

/** A name as storages compare it that tell neither cases nor ways of composing a letter apart: what is free there is free everywhere. */
export const comparable = (name: string): string => name.normalize('NFC').toLowerCase();

/** What names follow from, as a job has it. */
export type Wanted = Pick<Job, 'storage' | 'folder' | 'fileName' | 'places' | 'reel' | 'copies'>;

/** Files that will stand in one folder. */
interface FolderNames {
  /** Path of the storage. */
  readonly storage: string;
  readonly folder: string;
  readonly names: readonly string[];
}

/** Every file that a job's results will be, provenance included, by the folders that they go to. */
export function namesOf(wanted: Wanted): FolderNames[] {
  const { reel, copies } = wanted;
  const all = new Map<string, { storage: string; folder: string; names: string[] }>();
  const put = (recipe: string, endings: readonly string[]) => {
    const { storage, folder, fileName } = placeOf(wanted, recipe);
    const at = `${storage.path}\n${folder}`;
    const found = all.get(at) ?? { storage: storage.path, folder, names: [] };
    found.names.push(...endings.map((ending) => fileName + ending));
    all.set(at, found);
  };
  for (const [recipe, ending] of endingsOf(reel.recipes, recipesById(copies))) put(recipe, [ending, sidecarOf(ending)]);
  const beside = besideFiles(reel).map((f) => f.ending);
  if (beside.length > 0) put(reel.recipes[0] ?? MASTER, beside);
  return [...all.values()];
}

/** The names of a job's results, as they are compared. */
export interface Claim {
  /** For people. */
  readonly label: string;
  readonly keys: readonly string[];
}

export const claimOf = (wanted: Wanted): Claim => ({
  label: path.join(wanted.folder, wanted.fileName),
  keys: namesOf(wanted).flatMap(({ storage, folder, names }) => names.map((name) => `${storage}\n${comparable(path.join(folder, name))}`)),
});

/** Names that are spoken for while a job is being taken in: between looking and having, nobody else may take them. */
export class Names {
  private readonly held = new Set<string>();

  /**
   * Takes the names of a job at once, before anything is waited for.
   * @param others what jobs of the queue hold. @returns gives them back. @throws WorkError `name-taken`.
   */
  hold({ label, keys }: Claim, others: Iterable<Claim>): () => void {
    const taken = new Set([...this.held, ...[...others].flatMap((o) => o.keys)]);
    if (keys.some((key) => taken.has(key))) throw new WorkError('name-taken', `The queue already has a job that makes “${label}”`);
    for (const key of keys) this.held.add(key);
    return () => {
      for (const key of keys) this.held.delete(key);
    };
  }
}

/**
 * The folder that results go to, as far as it is there: said now, not after all the work.
 * @throws WorkError `name-taken` where something else has its name, `storage-read-only` where it is another’s.
 */
async function requireFolder({ storage, folder }: FolderNames): Promise<void> {
  let inside = '';
  for (const part of folder.split('/').filter(Boolean)) {
    inside = path.join(inside, part);
    const place = path.join(storage, inside);
    const info = await stat(place).catch(() => null);
    if (!info) return; // it is made when it is needed
    if (!info.isDirectory()) throw new WorkError('name-taken', `“${inside}” is in the library and no folder`);
    await access(place, constants.W_OK).catch((error: unknown) => {
      throw new WorkError('storage-read-only', `The folder “${inside}” of the library can not be written`, { cause: error });
    });
  }
}

/** @throws WorkError `name-taken` where the library has one of the names, and says what it is that has it. */
async function requireFreeNames(wanted: FolderNames, own: ReadonlySet<string>): Promise<void> {
  const folder = path.join(wanted.storage, wanted.folder);
  const there = new Map((await readdir(folder).catch(() => [])).map((name) => [comparable(name), name]));
  for (const name of wanted.names) {
    const found = there.get(comparable(name));
    if (found === undefined || own.has(path.join(folder, found))) continue;
    const film = name.replace(/\.json$/, '');
    if (film !== name && !there.has(comparable(film)))
      throw new WorkError(
        'name-taken',
        `The library has the provenance ${found} of a film that is not there: move it away, or find its film`,
      );
    const size = await stat(path.join(folder, found)).then(
      (info) => info.size,
      () => null,
    );
    throw new WorkError('name-taken', `The library already has a file ${found}${size === 0 ? ', which is empty' : ''}`);
  }
}

/** Everything that can be known of a job's names before any work. @param own files that are the job's own already. @throws WorkError `name-taken`, `storage-read-only`. */
export async function requireFreeInLibrary(wanted: Wanted, own: ReadonlySet<string> = new Set()): Promise<void> {
  for (const folder of namesOf(wanted)) {
    await requireFolder(folder);
    await requireFreeNames(folder, own);
  }
}
