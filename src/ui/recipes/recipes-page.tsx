'use client';

import { useState } from 'react';
import { MASTER, SHIPPED, type Recipe, type RecipeId } from '@/core/recipes';
import { RecipeSchema } from '@/contract';
import { copyRecipe, recipeFile, removeRecipe, saveRecipe, takeRecipes, useRecipeUses, useRecipes } from '@/store/recipes';
import { Button, Panel } from '../parts/controls';
import { FileButton } from '../parts/file-button';
import { ProblemNote } from '../parts/problem-note';
import { saveText } from '../parts/save-file';
import { toast } from '../parts/toasts';
import { useAction } from '../parts/use-action';
import { useEngine } from '@/store/engine';
import { plural } from '../format';
import { MASTER_NAME } from '../words-recipes';
import { RecipeForm } from './recipe-form';
import { RecipeList } from './recipe-list';
import { WhatItDoes } from './what-it-does';

const MOST_FILE_BYTES = 1_000_000;

/** The master has nothing to choose; it is said what it is. */
function TheMaster() {
  return (
    <div className="flex flex-col gap-2 px-4 py-3">
      <p>
        The streams as they stand on the disc, nothing encoded, in Matroska, with chapters, languages, names and cover. Every track is shown
        to be the disc’s own, bit for bit, before the file gets its name.
      </p>
      <p className="text-second">There is nothing to choose in it. All other recipes are made from it: the disc is read once.</p>
    </div>
  );
}

/** How copies are made: the recipes there are, their settings, and what they do to a title of the collection. */
export function RecipesPage() {
  const recipes = useRecipes();
  const encoders = useEngine().state?.encoders ?? [];
  const [chosen, choose] = useState<RecipeId>('access');
  const [edited, edit] = useState<Recipe | null>(null);
  const action = useAction();
  const kept = recipes.byId.get(chosen) ?? (chosen === MASTER ? null : (SHIPPED[0] ?? null));
  const recipe = edited?.id === kept?.id ? (edited ?? kept) : kept;
  const isOwn = kept !== null && recipes.own.has(kept.id);
  const uses = useRecipeUses(kept?.id ?? MASTER);
  const checked = recipe ? RecipeSchema.safeParse(recipe) : null;
  const wrong = checked && !checked.success ? checked.error.issues : [];
  const dirty = JSON.stringify(recipe) !== JSON.stringify(kept);
  const isUsed = uses !== null && (uses.reels.length > 0 || uses.rules);
  const go = (id: RecipeId) => {
    edit(null);
    choose(id);
  };
  return (
    <div className="mx-auto flex h-full max-w-[1800px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-end justify-between gap-4">
        <div className="min-w-0">
          <h1 className="truncate font-serif text-[24px] leading-none font-medium">{recipe?.name ?? MASTER_NAME}</h1>
          <p className="truncate pt-1 text-second">{recipe ? recipe.note : 'Matroska, the disc’s own streams'}</p>
        </div>
        <div className="flex shrink-0 gap-2">
          <FileButton
            label="Recipes from a file"
            accept=".json,application/json"
            onFile={(file) =>
              void action.run(async () => {
                if (file.size > MOST_FILE_BYTES) throw new Error('This file is larger than any file of recipes');
                const added = await takeRecipes(await file.text());
                toast({
                  text: added.length > 0 ? `${plural(added.length, 'recipe')} taken in` : 'All of them are here already',
                  state: 'kept',
                });
                if (added[0]) go(added[0]);
              })
            }
          >
            From a file
          </FileButton>
          {recipe && (
            <Button
              onClick={() => {
                saveText(`${recipe.name}.json`, recipeFile([recipe]), 'application/json');
              }}
            >
              Save as a file
            </Button>
          )}
          {isOwn && (
            <Button
              tone="danger"
              disabled={isUsed}
              title={isUsed ? 'It is used: take it out of those reels and of the house rules first' : 'Remove this recipe'}
              onClick={() =>
                void action.run(async () => {
                  await removeRecipe(recipe?.id ?? '');
                  go('access');
                })
              }
            >
              Remove
            </Button>
          )}
          {kept && (
            <Button
              tone={isOwn ? 'plain' : 'main'}
              onClick={() =>
                void action.run(async () => {
                  go(await copyRecipe(recipe ?? kept));
                })
              }
            >
              {isOwn ? 'Duplicate' : 'Duplicate and change'}
            </Button>
          )}
          {isOwn && (
            <>
              <Button
                disabled={!dirty}
                onClick={() => {
                  edit(null);
                }}
              >
                Discard
              </Button>
              <Button
                tone="main"
                disabled={!dirty || wrong.length > 0}
                busy={action.busy}
                onClick={() =>
                  void action.run(async () => {
                    if (recipe) await saveRecipe(recipe);
                    edit(null);
                    toast({ text: 'The recipe is kept: reels that are queued from now on are made by it.', state: 'kept' });
                  })
                }
              >
                Keep
              </Button>
            </>
          )}
        </div>
      </div>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      <div className="grid min-h-0 flex-1 grid-cols-[220px_minmax(380px,1fr)_minmax(300px,0.8fr)] gap-3">
        <RecipeList recipes={recipes} chosen={kept?.id ?? MASTER} choose={go} uses={uses} />
        <Panel label="Settings" title={isOwn || !recipe ? 'Settings' : 'Settings, as it came'}>
          <div className="min-h-0 flex-1 overflow-y-auto">
            {recipe ? <RecipeForm recipe={recipe} locked={!isOwn} wrong={wrong} set={edit} encoders={encoders} /> : <TheMaster />}
          </div>
        </Panel>
        <WhatItDoes recipe={wrong.length > 0 ? null : recipe} />
      </div>
    </div>
  );
}
