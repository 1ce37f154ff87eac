'use client';

import { DropdownMenu } from 'radix-ui';
import { Ellipsis } from 'lucide-react';
import type { DraftReel } from '@/store/db';
import { MenuContent } from '../../parts/menu-content';
import { toast } from '../../parts/toasts';
import { ROLE_PLURAL } from '../../words';
import { useBench } from '../bench-context';
import { PARTS, type EditorPart } from '../editor/parts';

const item =
  'flex cursor-pointer items-center rounded-[4px] px-2.5 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-third data-[highlighted]:bg-wash';
const EDIT: Readonly<Record<EditorPart, string>> = {
  Pieces: 'Pieces and ranges',
  Tracks: 'Tracks',
  Chapters: 'Chapters',
  Names: 'Names and tags',
};

const entry = (text: string, action: (() => void) | null, title?: string) => (
  <DropdownMenu.Item className={item} disabled={!action} {...(title ? { title } : {})} onSelect={() => action?.()}>
    {text}
  </DropdownMenu.Item>
);
const where = (isPossible: boolean, action: () => void) => (isPossible ? action : null);

/** The ways in which a reel is divided, and made one with the reel before. */
function Dividing({ draft: { id }, draft }: { draft: DraftReel }) {
  const { commands, possible, openDialog } = useBench();
  const can = possible(draft);
  return (
    <>
      {entry(
        'Divide: a reel for each chapter',
        where(can.chapters.length > 0, () => {
          commands.divideBefore(id, can.chapters);
        }),
      )}
      {entry(
        'Divide: at the works found in it',
        where(can.works.length > 0, () => {
          commands.divideBefore(id, can.works);
        }),
      )}
      {entry(
        'Divide: at chapters or times…',
        where(can.divisible, () => {
          openDialog({ kind: 'divide', reel: id });
        }),
      )}
      {entry(
        'Divide: at the moment looked at',
        where(can.momentMs !== null, () => {
          commands.divideAt(id, [can.momentMs ?? 0]);
        }),
      )}
      {can.angles > 1 &&
        entry('All angles: a reel for each', () => {
          commands.divideByAngles(id);
        })}
      {entry(
        'Merge into the reel before',
        where(can.before !== null, () => {
          commands.merge(can.before ?? '', [id]);
        }),
        can.mergeProblem ?? undefined,
      )}
      {can.mergeProblem && <p className="max-w-64 px-2.5 pb-1 text-[12px] text-eyes">{can.mergeProblem}</p>}
    </>
  );
}

/** What a reel has in common with others, here and on other discs. */
function LikeOthers({ draft: { id }, draft }: { draft: DraftReel }) {
  const { disc, commands, possible, choose } = useBench();
  const can = possible(draft);
  const { series } = disc.tags;
  const keep = () => {
    void commands.keepForSet(id).then((kept) => {
      if (!kept) return;
      const text = `Kept: on other discs of “${kept.series}”, ${ROLE_PLURAL[kept.role]} get these tracks and recipes.`;
      toast({ text, to: { href: '/rules', name: 'See the rules' } });
    });
  };
  return (
    <>
      {entry(
        `Same tracks and recipes for ${can.alike.length} like it`,
        where(can.alike.length > 0, () => {
          commands.likeThis(id, can.alike);
        }),
      )}
      {can.others.length > 0 &&
        entry(`Same tracks and recipes for the ${can.others.length} chosen`, () => {
          commands.likeThis(id, can.others);
        })}
      {can.others.length > 0 &&
        entry(
          `Merge the ${can.others.length} chosen into it`,
          where(can.canMergeOthers, () => {
            commands.merge(id, can.others);
            choose(new Set());
          }),
        )}
      {entry(
        series === '' ? 'Keep for the next disc of the set' : `Keep for the next disc of “${series}”`,
        where(can.role !== null && series !== '', keep),
        'Say on “About this disc” which series it belongs to',
      )}
    </>
  );
}

/** What can be done with a reel. */
export function ReelMenu({ draft }: { draft: DraftReel }) {
  const { selectReel, edit, openDialog } = useBench();
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`What to do with the reel ${draft.reel.name}`}
        className="rounded-[4px] text-third hover:text-ink"
        onClick={(e) => {
          e.stopPropagation();
        }}
      >
        <Ellipsis size={15} aria-hidden />
      </DropdownMenu.Trigger>
      <MenuContent
        align="end"
        className="z-50 min-w-60 rounded-[8px]"
        onClick={(e) => {
          e.stopPropagation();
        }}
      >
        {PARTS.map((part) => (
          <DropdownMenu.Item
            key={part}
            className={item}
            onSelect={() => {
              selectReel(draft);
              edit(part);
            }}
          >
            {EDIT[part]}…
          </DropdownMenu.Item>
        ))}
        {entry('Rehearse a recipe…', () => {
          openDialog({ kind: 'rehearse', reel: draft.id });
        })}
        <DropdownMenu.Separator className="my-1 h-px bg-faint" />
        <Dividing draft={draft} />
        <DropdownMenu.Separator className="my-1 h-px bg-faint" />
        <LikeOthers draft={draft} />
      </MenuContent>
    </DropdownMenu.Root>
  );
}
