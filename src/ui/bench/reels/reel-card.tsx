import { useDroppable } from '@dnd-kit/core';
import { useMemo } from 'react';
import { layoutMap } from '@/core/findings';
import type { DraftReel } from '@/store/db';
import { clock } from '../../format';
import { StateText } from '../../parts/controls';
import { useBench } from '../bench-context';
import { hueOf } from '../map/hues';
import { ReelMenu } from './reel-menu';
import { ChooseBox, Grip, Outcome, RecipeBoxes, ReelName, RemoveReel, TracksLink, sizesOf } from './reel-parts';
import { useReel } from './use-reel';

function ReelCard({
  draft,
  place,
  hueOfTitle,
  dragged,
}: {
  draft: DraftReel;
  place: number;
  hueOfTitle: (title: number) => string;
  dragged: readonly number[];
}) {
  const { reels, selectReel, openDialog } = useBench();
  const facts = useReel(draft, dragged);
  const { isOver, isDragging, isSelected, locked, refusal, remark } = facts;
  const { setNodeRef } = useDroppable({ id: `reel ${draft.id}`, disabled: locked });
  const edge = isOver
    ? refusal
      ? 'border-eyes'
      : 'border-planned shadow-[inset_0_0_0_2px_var(--planned)]'
    : isSelected
      ? 'border-accent shadow-[inset_0_0_0_1px_var(--accent)]'
      : 'border-line';
  return (
    <article
      ref={setNodeRef}
      aria-label={`Reel ${draft.reel.name}`}
      onClick={() => {
        selectReel(draft);
      }}
      className={`flex w-[336px] shrink-0 flex-col gap-1.5 rounded-[8px] border bg-card px-3 py-2 ${edge} ${isDragging ? 'opacity-60' : ''}`}
    >
      <div className="flex items-center gap-2">
        {!locked && reels.length > 1 && <ChooseBox draft={draft} facts={facts} />}
        {!locked && <Grip draft={draft} />}
        <ReelName draft={draft} className="flex-1 text-[16px]" />
        <span className="text-[12px] text-third">
          {place} of {reels.length}
        </span>
        {!locked && <ReelMenu draft={draft} />}
        <RemoveReel draft={draft} />
      </div>
      <div className="flex gap-px">
        {facts.pieces.map((text, i) => (
          <div
            key={`${i} ${text}`}
            className={`min-w-0 flex-1 truncate rounded-[3px] px-2 py-0.5 text-[12px] text-on-hue ${hueOfTitle(draft.reel.pieces[i]?.title ?? 0)}`}
          >
            {text}
          </div>
        ))}
      </div>
      <div className="grid grid-cols-[62px_minmax(0,1fr)] gap-x-2">
        <span className="text-second">recipes</span>
        <RecipeBoxes draft={draft} facts={facts} />
        <span className="text-second">tracks</span>
        <span className={`truncate ${remark ? 'font-medium' : ''}`}>
          {remark && <StateText state="eyes">{remark},</StateText>}{' '}
          {isOver && refusal ? <StateText state="eyes">{refusal}</StateText> : <TracksLink draft={draft} />},{' '}
          {clock(facts.estimate.durationMs)}
        </span>
        <span className="text-second">size</span>
        <span className="flex min-w-0 gap-2">
          <span className="min-w-0 flex-1 truncate">about {sizesOf(draft, facts)}</span>
          <button
            type="button"
            aria-label={`Rehearse ${draft.reel.name}`}
            title="Any moment before and after a recipe, and what it takes"
            className="shrink-0 text-accent underline-offset-2 hover:underline"
            onClick={(e) => {
              e.stopPropagation();
              openDialog({ kind: 'rehearse', reel: draft.id });
            }}
          >
            rehearse
          </button>
        </span>
        <span className="text-second">{locked ? 'job' : 'file'}</span>
        <Outcome draft={draft} facts={facts} />
      </div>
    </article>
  );
}

/** A few reels, each with all there is to it. */
export function ReelCards({ dragged }: { dragged: readonly number[] }) {
  const { disc, reels } = useBench();
  const contents = useMemo(
    () => new Map(layoutMap(disc.reading, disc.findings, 'place').lanes.map((l) => [l.title, l.blocks[0]?.content ?? 0])),
    [disc.reading, disc.findings],
  );
  return (
    <div className="flex min-w-0 flex-1 gap-3 overflow-x-auto p-px" role="group" aria-label="Reels">
      {reels.map((draft, i) => (
        <ReelCard key={draft.id} draft={draft} place={i + 1} hueOfTitle={(title) => hueOf(contents.get(title) ?? 0)} dragged={dragged} />
      ))}
    </div>
  );
}
