import { useLiveQuery } from 'dexie-react-hooks';
import { useMemo } from 'react';
import { MASTER, RECIPE_VERSION, SHIPPED, recipesById, type Recipe, type RecipeId } from '@/core/recipes';
import { RecipeFileSchema, RecipeSchema, type RecipeFile } from '@/contract';
import { catalogue } from './archive';

/** The archive's own recipes, by name. What can not be read as one (of another version, spoilt) is left out. */
export async function ownRecipes(): Promise<Recipe[]> {
  const kept = await catalogue().recipes.toArray();
  return kept
    .flatMap((r) => {
      const recipe = RecipeSchema.safeParse(r);
      return recipe.success ? [recipe.data] : [];
    })
    .sort((a, b) => a.name.localeCompare(b.name));
}

/** Recipes that come with the application, then the archive's own. */
export interface Recipes {
  readonly all: readonly Recipe[];
  readonly byId: ReadonlyMap<RecipeId, Recipe>;
  readonly own: ReadonlySet<RecipeId>;
}

const NONE: readonly Recipe[] = [];

/** Live; those that are shipped until the others are known. */
export function useRecipes(): Recipes {
  const own = useLiveQuery(ownRecipes, []) ?? NONE;
  return useMemo(() => ({ all: [...SHIPPED, ...own], byId: recipesById(own), own: new Set(own.map((r) => r.id)) }), [own]);
}

/** @throws ZodError for one that is not allowed: the form says so before. */
export async function saveRecipe(recipe: Recipe): Promise<void> {
  await catalogue().recipes.put(RecipeSchema.parse(recipe));
}

export async function removeRecipe(id: RecipeId): Promise<void> {
  await catalogue().recipes.delete(id);
}

/** An identifier that is free, made from a name. */
function freeId(name: string, taken: ReadonlySet<RecipeId>): RecipeId {
  const stem =
    name
      .normalize('NFD')
      .replace(/\p{M}/gu, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-+|-+$/g, '')
      .slice(0, 50) || 'recipe';
  let id = `own-${stem}`;
  for (let n = 2; taken.has(id); n++) id = `own-${stem}-${n}`;
  return id;
}

/** A recipe of the archive's own that begins as another is. @returns its identifier. */
export async function copyRecipe(of: Recipe, name = `${of.name}, changed`): Promise<RecipeId> {
  const taken = new Set([MASTER, ...recipesById(await ownRecipes()).keys()]);
  const id = freeId(of.name, taken);
  const suffix =
    of.suffix === ''
      ? ` (${of.name
          .toLowerCase()
          .replace(/[^\p{L}\p{N} -]/gu, '')
          .slice(0, 30)
          .trim()})`
      : of.suffix;
  await saveRecipe({ ...of, id, name: name.slice(0, 80), suffix });
  return id;
}

/** The quality or effort that a trial has found, in a recipe of the archive's own: one that came with the application is copied for it. @returns its identifier. */
export async function withSettings(of: Recipe, settings: Partial<Recipe['video']>, name: string): Promise<RecipeId> {
  const own = (await ownRecipes()).find((r) => r.id === of.id);
  const changed = { ...(own ?? of), video: { ...(own ?? of).video, ...settings } };
  if (!own) return copyRecipe(changed, `${of.name}, ${name}`);
  await saveRecipe(changed);
  return own.id;
}

/** The archive's recipes as a file of their own. */
export const recipeFile = (recipes: readonly Recipe[]): string =>
  JSON.stringify({ kind: 'careful-vault recipes', version: RECIPE_VERSION, recipes } satisfies RecipeFile, null, 2);

/** A file that holds no recipes. */
export class RecipeFileError extends Error {
  override readonly name = 'RecipeFileError';
}

/**
 * Takes recipes out of a file, all or none. One that is here already and differs is put beside it under a name of its own; nothing is lost.
 * @returns the identifiers of those that are new. @throws RecipeFileError, with what is wrong and where.
 */
export async function takeRecipes(text: string): Promise<RecipeId[]> {
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch (error) {
    throw new RecipeFileError('This file is no JSON', { cause: error });
  }
  const file = RecipeFileSchema.safeParse(given);
  if (!file.success) {
    const [issue] = file.error.issues;
    throw new RecipeFileError(`This file holds no recipes that can be used here: ${issue?.path.join('.') ?? ''} ${issue?.message ?? ''}`);
  }
  const db = catalogue();
  return db.transaction('rw', db.recipes, async () => {
    const known = new Map(recipesById(await ownRecipes()));
    const added: RecipeId[] = [];
    for (const recipe of file.data.recipes) {
      const here = known.get(recipe.id);
      if (here && JSON.stringify(RecipeSchema.parse(here)) === JSON.stringify(recipe)) continue;
      const id = here || !recipe.id.startsWith('own-') ? freeId(recipe.name, new Set([MASTER, ...known.keys()])) : recipe.id;
      const taken = { ...recipe, id };
      known.set(id, taken);
      await db.recipes.put(taken);
      added.push(id);
    }
    return added;
  });
}

/** Where a recipe is used: planned reels of discs, and house rules. */
export interface RecipeUse {
  readonly reels: readonly { readonly fingerprint: string; readonly disc: string; readonly reel: string }[];
  readonly rules: boolean;
}

export async function usesOf(id: RecipeId): Promise<RecipeUse> {
  const db = catalogue();
  const [drafts, rules] = [await db.drafts.toArray(), await db.rules()];
  const used = drafts.flatMap((d) =>
    d.reels.filter((r) => r.jobId === null && r.reel.recipes.includes(id)).map((r) => ({ fingerprint: d.fingerprint, reel: r.reel.name })),
  );
  const names = new Map((await db.discs.bulkGet([...new Set(used.map((u) => u.fingerprint))])).map((d) => [d?.fingerprint, d?.name]));
  const inSets = rules?.sets.some((s) => s.recipes.includes(id)) ?? false;
  return {
    reels: used.map((u) => ({ ...u, disc: names.get(u.fingerprint) ?? '' })),
    rules: (rules?.recipes.includes(id) ?? false) || (rules?.recipesFor ?? []).some((r) => r.recipes.includes(id)) || inSets,
  };
}

/** Live; null until it is known. */
export const useRecipeUses = (id: RecipeId | null): RecipeUse | null =>
  useLiveQuery(() => (id === null ? Promise.resolve(null) : usesOf(id)), [id]) ?? null;
