'use client';

import { useState } from 'react';
import { MASTER, type Recipe, type RecipeId } from '@/core/recipes';
import type { Bars } from '@/core/reels';
import { useRecipes } from '@/store/recipes';
import { Select } from '../parts/fields';
import { Modal } from '../parts/modal';
import { Switch } from '../parts/switch';
import type { Rehearsed } from './rehearsed';
import { RehearsedPicture } from './rehearsed-picture';
import { TrialPart } from './trial-part';

/** A reel with a recipe before anything is queued: how it will look, and what it will take. */
export function RehearsalDialog({
  on,
  first,
  startMs,
  onTake,
  onBars,
  onClose,
}: {
  on: Rehearsed;
  /** Recipe that is shown first. */
  first: RecipeId | null;
  startMs: number;
  /** Takes a recipe for the reel; null where there is none to take it for. */
  onTake: ((id: RecipeId) => void) | null;
  /** Sets the bars of the reel by hand, or back to what samples say; null where there is no reel to set them for. */
  onBars: ((bars: Bars | null) => void) | null;
  onClose: () => void;
}) {
  const recipes = useRecipes();
  const [chosen, choose] = useState<RecipeId | null>(first === MASTER ? null : first);
  const [part, setPart] = useState<'picture' | 'trial'>('picture');
  const recipe: Recipe | undefined = recipes.byId.get(chosen ?? '') ?? recipes.all[0];
  return (
    <Modal wide title={`Rehearsal: ${on.reel.name === '' ? `title ${on.title.number}` : on.reel.name}`} onClose={onClose}>
      <div className="flex flex-wrap items-center gap-3 pb-3">
        <Select
          label="Recipe that is rehearsed"
          value={recipe?.id ?? ''}
          options={recipes.all.map((r) => ({ value: r.id, name: r.name }))}
          onChange={choose}
        />
        <Switch
          label="What is rehearsed"
          value={part}
          options={[
            { value: 'picture', name: 'how it looks' },
            { value: 'trial', name: 'what it takes' },
          ]}
          onChange={setPart}
        />
      </div>
      {!on.source ? (
        <p className="text-second">Insert the disc, or bring its image back: a recipe is tried on the disc itself.</p>
      ) : (
        recipe &&
        (part === 'picture' ? (
          <RehearsedPicture on={on} source={on.source} recipe={recipe} startMs={startMs} onBars={onBars} />
        ) : (
          <TrialPart key={recipe.id} on={on} source={on.source} recipe={recipe} onTake={onTake} onRecipe={choose} />
        ))
      )}
    </Modal>
  );
}
