import { fileNameOf, folderOf, nameValues, type NamePart } from './name-parts';
import { safeFileName } from './names';
import { NO_TAGS, type Reel } from './model';
import type { HouseRules } from './house-rules';

/** Where a reel goes inside its storage, and its copies that go elsewhere. */
export interface ReelPlace {
  readonly folder: string;
  /** Without extension. */
  readonly fileName: string;
  readonly places: readonly {
    readonly recipe: string;
    readonly storage: string | null;
    readonly folder: string | null;
    readonly fileName: string | null;
  }[];
}

/** What names of a reel can be made of. @param disc its name on the shelf. */
export const reelValues = (disc: string, reel: Reel) =>
  nameValues({ ...NO_TAGS, ...reel.tags, work: reel.name }, reel.name, reel.pieces[0]?.title ?? 0, disc);

/** File name of a reel, without extension: as the user wrote it, or by the archive's pattern. */
export function reelFileName(disc: string, reel: Reel, rules: Pick<HouseRules, 'fileName'>): string {
  if (reel.fileName) return safeFileName(reel.fileName);
  return fileNameOf(rules.fileName, reelValues(disc, reel));
}

/** Where copies of a reel go that do not go where it does, by the house rules. */
export const copyPlaces = (disc: string, reel: Reel, rules: Pick<HouseRules, 'places'>): ReelPlace['places'] =>
  rules.places
    .filter((p) => reel.recipes.includes(p.recipe))
    .map(({ recipe, storage, folder, fileName }) => ({
      recipe,
      storage,
      folder: folder && folderOf(folder, reelValues(disc, reel)),
      fileName: fileName && fileNameOf(fileName, reelValues(disc, reel)),
    }));

/** By what is written for the folder, and the archive's patterns. */
export const reelPlace = (disc: string, reel: Reel, folder: readonly NamePart[], rules: HouseRules): ReelPlace => ({
  folder: folderOf(folder, reelValues(disc, reel)),
  fileName: reelFileName(disc, reel, rules),
  places: copyPlaces(disc, reel, rules),
});
