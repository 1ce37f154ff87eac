'use client';

import { X } from 'lucide-react';
import { fileNameOf, folderOf, type CopyPlace } from '@/core/reels';
import { useEngine } from '@/store/engine';
import { useRecipes } from '@/store/recipes';
import { Button } from '../parts/controls';
import { Check, Row, Select } from '../parts/fields';
import { EXAMPLE } from './example';
import { NameField } from './name-field';
import type { RulesProps } from './rules-props';

/** Copies by some recipes go elsewhere: masters to one storage, what is lent to another. */
export function PlaceRules({ rules, set }: RulesProps) {
  const { state } = useEngine();
  const recipes = useRecipes();
  const free = recipes.all.filter((r) => !rules.places.some((p) => p.recipe === r.id));
  return (
    <Row name="copies elsewhere" hint={rules.places.length === 0 ? 'all results of a reel go to the same place' : undefined}>
      {rules.places.map((place) => {
        const change = (more: Partial<CopyPlace>) => {
          set({ places: rules.places.map((p) => (p === place ? { ...p, ...more } : p)) });
        };
        const name = recipes.byId.get(place.recipe)?.name ?? place.recipe;
        return (
          <div
            key={place.recipe}
            role="group"
            aria-label={`Where ${name} goes`}
            className="flex flex-col gap-1.5 border-b border-line pb-2"
          >
            <div className="flex flex-wrap items-center gap-2">
              <span className="font-serif text-[15px]">{name}</span>
              to
              <Select
                label={`Storage of ${name}`}
                value={place.storage ?? ''}
                options={[
                  { value: '', name: 'the storage of the reel' },
                  ...(state?.storages ?? []).map((s) => ({ value: s.id, name: s.name })),
                ]}
                onChange={(storage) => {
                  change({ storage: storage || null });
                }}
              />
              <Check
                label="own folder"
                checked={place.folder !== null}
                onChange={(on) => {
                  change({ folder: on ? rules.folder : null });
                }}
              />
              <Check
                label="own name"
                checked={place.fileName !== null}
                onChange={(on) => {
                  change({ fileName: on ? rules.fileName : null });
                }}
              />
              <Button
                tone="quiet"
                className="ml-auto px-1 py-0"
                aria-label={`${name} goes where its reel goes`}
                onClick={() => {
                  set({ places: rules.places.filter((p) => p !== place) });
                }}
              >
                <X size={14} aria-hidden />
              </Button>
            </div>
            {place.folder && (
              <>
                <NameField
                  label={`Folder of ${name}`}
                  parts={place.folder}
                  onChange={(folder) => {
                    change({ folder });
                  }}
                />
                <span className="text-[12px] text-second">folder “{folderOf(place.folder, EXAMPLE) || 'the library itself'}”</span>
              </>
            )}
            {place.fileName && (
              <>
                <NameField
                  label={`File name of ${name}`}
                  parts={place.fileName}
                  onChange={(fileName) => {
                    change({ fileName });
                  }}
                />
                <span className="text-[12px] text-second">name “{fileNameOf(place.fileName, EXAMPLE)}”</span>
              </>
            )}
          </div>
        );
      })}
      {free.length > 0 && (
        <Select
          label="Another place for"
          value=""
          className="self-start"
          options={[{ value: '', name: 'Another place for…' }, ...free.map((r) => ({ value: r.id, name: r.name }))]}
          onChange={(recipe) => {
            if (recipe) set({ places: [...rules.places, { recipe, storage: null, folder: null, fileName: null }] });
          }}
        />
      )}
    </Row>
  );
}
