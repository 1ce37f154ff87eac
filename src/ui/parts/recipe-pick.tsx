'use client';

import { ChevronDown } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { MASTER, endingsOf, type RecipeId } from '@/core/recipes';
import type { Recipes } from '@/store/recipes';
import { Mark } from './controls';
import { recipeLine, recipeName, recipeNote } from '../words-recipes';
import { MenuContent } from './menu-content';

/** What is always in sight beside what is chosen: the two that most reels have. */
const USUAL: readonly RecipeId[] = [MASTER, 'access'];

const ITEM =
  'flex cursor-pointer flex-col rounded-[4px] px-2.5 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-third data-[highlighted]:bg-wash';

/** Recipes to choose from, any number of them; one stays. */
export function RecipePick({
  chosen,
  recipes,
  onChange,
  disabled = false,
  short = false,
  remarks,
}: {
  chosen: readonly RecipeId[];
  recipes: Recipes;
  onChange: (id: RecipeId, on: boolean) => void;
  disabled?: boolean;
  /** By the endings of their files. */
  short?: boolean;
  /** What somebody should know before a copy is made, by recipe. */
  remarks?: ReadonlyMap<RecipeId, readonly string[]>;
}) {
  const endings = endingsOf(chosen, recipes.byId);
  const shown = [...new Set([...(short ? [MASTER] : USUAL), ...chosen])];
  const others = recipes.all.filter((r) => !shown.includes(r.id));
  return (
    <span className={`flex min-w-0 items-center gap-x-3 ${short ? 'overflow-hidden' : 'flex-wrap'}`}>
      {shown.map((id) => {
        const name = recipeName(id, recipes.byId);
        const told = (chosen.includes(id) && remarks?.get(id)) || [];
        return (
          <label
            key={id}
            title={[recipeNote(id, recipes.byId), ...told].join('\n')}
            className="flex min-w-0 items-center gap-1 whitespace-nowrap"
          >
            <input
              type="checkbox"
              aria-label={name}
              className="accent-(--accent)"
              checked={chosen.includes(id)}
              disabled={disabled || (chosen.length === 1 && chosen[0] === id)}
              onChange={(e) => {
                onChange(id, e.target.checked);
              }}
            />
            <span className="truncate">{short ? (endings.get(id) ?? '.mkv').slice(-3) : name}</span>
            {told.length > 0 && <Mark state="eyes" />}
          </label>
        );
      })}
      {!disabled && others.length > 0 && (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger
            aria-label="More recipes"
            title="More recipes"
            className="flex shrink-0 items-center rounded-[4px] px-0.5 text-third hover:bg-wash hover:text-ink"
          >
            <ChevronDown size={14} aria-hidden />
          </DropdownMenu.Trigger>
          <MenuContent align="start" collisionPadding={8} className="z-50 max-h-[60dvh] max-w-[380px] overflow-y-auto rounded-[6px]">
            {others.map((r) => (
              <DropdownMenu.Item
                key={r.id}
                className={ITEM}
                onSelect={() => {
                  onChange(r.id, true);
                }}
              >
                <span>{r.name}</span>
                <span className="text-[12px] text-second">{recipeLine(r)}</span>
              </DropdownMenu.Item>
            ))}
          </MenuContent>
        </DropdownMenu.Root>
      )}
    </span>
  );
}
