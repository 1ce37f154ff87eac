'use client';

import { X } from 'lucide-react';
import { withRecipe } from '@/core/recipes';
import { DEFAULT_FILE_NAME, DISC_KINDS, TITLE_KINDS, fileNameOf, folderOf } from '@/core/reels';
import { useEngine } from '@/store/engine';
import { useRecipes } from '@/store/recipes';
import { list, plural } from '../format';
import { Button } from '../parts/controls';
import { Row, Select } from '../parts/fields';
import { RecipePick } from '../parts/recipe-pick';
import { ROLE_PLURAL } from '../words';
import { EXAMPLE } from './example';
import { NameField } from './name-field';
import { PlaceRules } from './place-rules';
import type { RulesProps } from './rules-props';

/** What is made of a reel, how it is called, and where it goes. */
export function MakingRules({ rules, set }: RulesProps) {
  const { state } = useEngine();
  const recipes = useRecipes();
  return (
    <>
      <h3 className="smallcaps pt-3 pb-1">What is made, and where</h3>
      <Row name="recipes">
        <RecipePick
          chosen={rules.recipes}
          recipes={recipes}
          onChange={(id, on) => {
            set({ recipes: withRecipe(rules.recipes, id, on) });
          }}
        />
      </Row>
      <Row name="other recipes" hint="the first line that fits a title counts">
        {rules.recipesFor.map((line, i) => {
          const change = (more: Partial<typeof line>) => {
            set({ recipesFor: rules.recipesFor.map((r, k) => (k === i ? { ...r, ...more } : r)) });
          };
          const name = `${i + 1}`;
          return (
            <div key={i} className="flex flex-wrap items-center gap-2" role="group" aria-label={`Other recipes, line ${name}`}>
              <Select
                label="Titles"
                value={line.titles}
                options={TITLE_KINDS.map((value) => ({ value, name: value }))}
                onChange={(titles) => {
                  change({ titles });
                }}
              />
              of
              <Select
                label="Discs"
                value={line.discs}
                options={DISC_KINDS.map((value) => ({ value, name: value }))}
                onChange={(discs) => {
                  change({ discs });
                }}
              />
              <RecipePick
                chosen={line.recipes}
                recipes={recipes}
                onChange={(id, on) => {
                  change({ recipes: withRecipe(line.recipes, id, on) });
                }}
              />
              <Button
                tone="quiet"
                className="px-1 py-0"
                aria-label={`Remove line ${name}`}
                onClick={() => {
                  set({ recipesFor: rules.recipesFor.filter((_, k) => k !== i) });
                }}
              >
                <X size={14} aria-hidden />
              </Button>
            </div>
          );
        })}
        <Button
          className="self-start px-2 py-0.5"
          onClick={() => {
            set({ recipesFor: [...rules.recipesFor, { titles: 'other titles', discs: 'any disc', recipes: ['access'] }] });
          }}
        >
          Other recipes for some titles
        </Button>
      </Row>
      <Row name="file name" hint={<>gives “{fileNameOf(rules.fileName.length > 0 ? rules.fileName : DEFAULT_FILE_NAME, EXAMPLE)}”</>}>
        <NameField
          label="File name"
          parts={rules.fileName}
          onChange={(fileName) => {
            set({ fileName });
          }}
        />
      </Row>
      <Row name="folder" hint={<>gives “{folderOf(rules.folder, EXAMPLE) || 'the library itself'}”; a / in a text makes a folder</>}>
        <NameField
          label="Folder"
          parts={rules.folder}
          onChange={(folder) => {
            set({ folder });
          }}
        />
      </Row>
      <Row name="storage">
        <Select
          label="Storage"
          value={rules.storage ?? ''}
          options={[{ value: '', name: 'the first there is' }, ...(state?.storages ?? []).map((s) => ({ value: s.id, name: s.name }))]}
          onChange={(storage) => {
            set({ storage: storage || null });
          }}
        />
      </Row>
      <PlaceRules rules={rules} set={set} />
    </>
  );
}

/** What was kept for the discs of a set. */
export function SetRules({ rules, set }: RulesProps) {
  if (rules.sets.length === 0) return null;
  return (
    <>
      <h3 className="smallcaps pt-3 pb-1">Kept for the discs of a set</h3>
      <ul>
        {rules.sets.map((s) => (
          <li key={`${s.series} ${s.role}`} className="flex items-center gap-2 py-0.5">
            <span className="min-w-0 flex-1 truncate">
              <span className="font-serif text-[15px]">{s.series}</span>
              <span className="text-second">
                , {ROLE_PLURAL[s.role]}: {list([plural(s.audio.length, 'audio track'), plural(s.subtitles.length, 'subtitle track')])}
              </span>
            </span>
            <Button
              tone="quiet"
              className="px-1.5"
              aria-label={`No longer keep choices for ${s.series}, ${ROLE_PLURAL[s.role]}`}
              onClick={() => {
                set({ sets: rules.sets.filter((other) => other !== s) });
              }}
            >
              <X size={14} aria-hidden />
            </Button>
          </li>
        ))}
      </ul>
    </>
  );
}
