'use client';

import { DropdownMenu } from 'radix-ui';
import { Ellipsis } from 'lucide-react';
import type { EditorPart } from './reel-editor';

export interface ReelActions {
  readonly onEdit: (part: EditorPart) => void;
  /** Null where it can not be done. */
  readonly onDivideByChapter: (() => void) | null;
  readonly onDivideAtWorks: (() => void) | null;
  readonly onDivide: (() => void) | null;
  readonly onDivideAtMoment: (() => void) | null;
  /** Null where there is one angle only. */
  readonly onDivideByAngle: (() => void) | null;
  readonly onMergeIntoBefore: (() => void) | null;
  /** Why it can not be merged with the reel before; null where it can, or where there is none. */
  readonly mergeProblem: string | null;
  readonly onApplyToAll: (() => void) | null;
  readonly likeIt: number;
  /** What can be done with the reels that are chosen beside this one; null where there are none. */
  readonly onApplyToChosen: (() => void) | null;
  readonly onMergeChosen: (() => void) | null;
  readonly chosen: number;
  /** Keeps tracks and recipes for the other discs of the set; null where the disc belongs to none. */
  readonly onKeepForSet: (() => void) | null;
  readonly series: string;
}

const item =
  'flex cursor-pointer items-center rounded-[4px] px-2.5 py-1 outline-none data-[disabled]:cursor-default data-[disabled]:text-third data-[highlighted]:bg-wash';

/** What can be done with a reel. */
export function ReelMenu({ name, actions }: { name: string; actions: ReelActions }) {
  const entry = (text: string, action: (() => void) | null, title?: string) => (
    <DropdownMenu.Item className={item} disabled={!action} {...(title ? { title } : {})} onSelect={() => action?.()}>
      {text}
    </DropdownMenu.Item>
  );
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`What to do with the reel ${name}`}
        className="rounded-[4px] text-third hover:text-ink"
        onClick={(e) => {
          e.stopPropagation();
        }}
      >
        <Ellipsis size={15} aria-hidden />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          className="z-50 min-w-60 rounded-[8px] border border-line bg-card p-1 shadow-lg"
          onClick={(e) => {
            e.stopPropagation();
          }}
        >
          {entry('Pieces and ranges…', () => {
            actions.onEdit('Pieces');
          })}
          {entry('Tracks…', () => {
            actions.onEdit('Tracks');
          })}
          {entry('Chapters…', () => {
            actions.onEdit('Chapters');
          })}
          {entry('Names and tags…', () => {
            actions.onEdit('Names');
          })}
          <DropdownMenu.Separator className="my-1 h-px bg-faint" />
          {entry('Divide: a reel for each chapter', actions.onDivideByChapter)}
          {entry('Divide: at the works found in it', actions.onDivideAtWorks)}
          {entry('Divide: at chapters or times…', actions.onDivide)}
          {entry('Divide: at the moment looked at', actions.onDivideAtMoment)}
          {actions.onDivideByAngle && entry('All angles: a reel for each', actions.onDivideByAngle)}
          {entry('Merge into the reel before', actions.onMergeIntoBefore, actions.mergeProblem ?? undefined)}
          {actions.mergeProblem && <p className="max-w-64 px-2.5 pb-1 text-[12px] text-eyes">{actions.mergeProblem}</p>}
          <DropdownMenu.Separator className="my-1 h-px bg-faint" />
          {entry(`Same tracks and recipes for ${actions.likeIt} like it`, actions.onApplyToAll)}
          {actions.chosen > 0 && entry(`Same tracks and recipes for the ${actions.chosen} chosen`, actions.onApplyToChosen)}
          {actions.chosen > 0 && entry(`Merge the ${actions.chosen} chosen into it`, actions.onMergeChosen)}
          {entry(
            actions.series === '' ? 'Keep for the next disc of the set' : `Keep for the next disc of “${actions.series}”`,
            actions.onKeepForSet,
            'Say on “About this disc” which series it belongs to',
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
