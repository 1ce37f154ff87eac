import { useDroppable } from '@dnd-kit/core';
import { ChevronDown, ChevronUp } from 'lucide-react';
import { useMemo, useState } from 'react';
import { MASTER, type RecipeId } from '@/core/recipes';
import { estimateReel } from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { clock, plural } from '../../format';
import { Button, Mark, StateText } from '../../parts/controls';
import { recipeName } from '../../words-recipes';
import { useBench } from '../bench-context';
import { ReelMenu } from './reel-menu';
import { ChooseBox, Grip, Outcome, RecipeBoxes, ReelName, RemoveReel, TracksLink, sizesOf } from './reel-parts';
import { useReel } from './use-reel';

const GRID =
  'grid grid-cols-[18px_16px_minmax(150px,1.5fr)_minmax(76px,0.9fr)_52px_44px_100px_76px_minmax(84px,1fr)_18px_18px] items-center gap-x-2 px-2.5';

type Order = 'planned' | 'name' | 'title' | 'length' | 'size';
const HEADINGS: readonly { readonly order: Order | null; readonly name: string; readonly right?: boolean }[] = [
  { order: 'name', name: 'name' },
  { order: 'title', name: 'takes' },
  { order: 'length', name: 'length', right: true },
  { order: null, name: 'tracks', right: true },
  { order: null, name: 'files' },
  { order: 'size', name: 'size', right: true },
  { order: null, name: 'to be' },
];

function ReelRow({ draft, dragged }: { draft: DraftReel; dragged: readonly number[] }) {
  const { selectReel } = useBench();
  const facts = useReel(draft, dragged);
  const { isOver, isDragging, isSelected, locked, refusal, remark } = facts;
  const { setNodeRef } = useDroppable({ id: `reel ${draft.id}`, disabled: locked });
  const ground = isOver ? (refusal ? 'bg-eyes/15' : 'bg-planned/15') : isSelected ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : '';
  return (
    <article
      ref={setNodeRef}
      aria-label={`Reel ${draft.reel.name}`}
      onClick={() => {
        selectReel(draft);
      }}
      className={`${GRID} h-8 border-b border-faint last:border-0 ${ground} ${isDragging ? 'opacity-60' : ''}`}
    >
      {locked ? <span /> : <ChooseBox draft={draft} facts={facts} />}
      {locked ? <span /> : <Grip draft={draft} />}
      <ReelName draft={draft} className="px-1 text-[14px]" />
      <span className="truncate text-second" title={facts.pieces.join('; ')}>
        {isOver && refusal ? (
          <StateText state="eyes">{refusal}</StateText>
        ) : (
          <>
            {remark && (
              <span title={remark}>
                <Mark state="eyes" />{' '}
              </span>
            )}
            {facts.pieces.length > 1 ? plural(facts.pieces.length, 'piece') : facts.pieces[0]}
          </>
        )}
      </span>
      <span className="text-right">{clock(facts.estimate.durationMs)}</span>
      <span className="text-right">
        <TracksLink draft={draft} short />
      </span>
      <RecipeBoxes draft={draft} facts={facts} short />
      <span className="truncate text-right text-second">{sizesOf(draft, facts)}</span>
      <span className="min-w-0 text-second">
        <Outcome draft={draft} facts={facts} />
      </span>
      {locked ? <span /> : <ReelMenu draft={draft} />}
      <RemoveReel draft={draft} />
    </article>
  );
}

/** Recipes that many reels are given or relieved of at once; any other comes with “tracks like the first”. */
const OFFERED: readonly RecipeId[] = [MASTER, 'access'];

/** What can be done with all the reels that are chosen. */
function Chosen() {
  const { reels, chosen, choose, commands, recipes } = useBench();
  const ids = new Set(reels.filter((r) => chosen.has(r.id) && r.jobId === null).map((r) => r.id));
  const [first, ...rest] = reels.filter((r) => ids.has(r.id));
  const all = (recipe: RecipeId) => reels.every((r) => !ids.has(r.id) || r.reel.recipes.includes(recipe));
  if (!first) return null;
  return (
    <div
      role="group"
      aria-label="What to do with the chosen reels"
      className="flex items-center gap-2 border-b border-faint bg-wash px-2.5 py-1"
    >
      <span className="font-semibold">{ids.size} chosen</span>
      {OFFERED.map((recipe) => (
        <Button
          key={recipe}
          className="px-2 py-0"
          onClick={() => {
            commands.setRecipe(ids, recipe, !all(recipe));
          }}
        >
          {all(recipe) ? 'without' : 'with'} {recipeName(recipe, recipes.byId).toLowerCase()}
        </Button>
      ))}
      {rest.length > 0 && (
        <Button
          className="px-2 py-0"
          title="Same tracks and recipes as the first that is chosen"
          onClick={() => {
            commands.likeThis(
              first.id,
              rest.map((r) => r.id),
            );
          }}
        >
          tracks like the first
        </Button>
      )}
      <Button
        className="px-2 py-0"
        onClick={() => {
          commands.remove(ids);
          choose(new Set());
        }}
      >
        remove
      </Button>
      <Button
        tone="quiet"
        className="ml-auto px-2 py-0"
        onClick={() => {
          choose(new Set());
        }}
      >
        choose none
      </Button>
    </div>
  );
}

/** Many reels, a line each: sorted by what its headings say, with the same actions as the cards. */
export function ReelList({ dragged }: { dragged: readonly number[] }) {
  const { disc, reels, chosen, choose, recipes, experience } = useBench();
  const [sort, setSort] = useState<{ readonly by: Order; readonly down: boolean }>({ by: 'planned', down: false });
  const shown = useMemo(() => {
    if (sort.by === 'planned') return reels;
    const valueOf = ({ reel }: DraftReel): string | number => {
      if (sort.by === 'name') return reel.name;
      if (sort.by === 'title') return reel.pieces[0]?.title ?? 0;
      const { durationMs, masterBytes, copyBytes } = estimateReel(disc.reading, reel, recipes.byId, experience);
      if (sort.by === 'length') return durationMs;
      return (reel.recipes.includes(MASTER) ? masterBytes : 0) + [...copyBytes.values()].reduce((sum, b) => sum + b, 0);
    };
    const compare = (a: string | number, b: string | number) =>
      typeof a === 'string' ? a.localeCompare(String(b), undefined, { numeric: true }) : a - Number(b);
    return [...reels].sort((a, b) => compare(valueOf(a), valueOf(b)) * (sort.down ? -1 : 1));
  }, [reels, sort, disc.reading, recipes.byId, experience]);
  const open = reels.filter((r) => r.jobId === null);
  const allChosen = open.length > 0 && open.every((r) => chosen.has(r.id));
  const turn = (by: Order) => {
    // Up, down, and back to the order in which they were planned.
    setSort((s) => (s.by !== by ? { by, down: false } : s.down ? { by: 'planned', down: false } : { by, down: true }));
  };
  return (
    <div role="group" aria-label="Reels" className="flex min-w-0 flex-1 flex-col overflow-hidden rounded-[8px] border border-line bg-card">
      <div className={`${GRID} h-7 shrink-0 border-b border-faint text-[12px] text-second`}>
        <input
          type="checkbox"
          aria-label="Choose all reels"
          className="accent-(--accent)"
          checked={allChosen}
          onChange={() => {
            choose(new Set(allChosen ? [] : open.map((r) => r.id)));
          }}
        />
        <span />
        {HEADINGS.map(({ order, name, right }) =>
          order === null ? (
            <span key={name} className={right ? 'text-right' : ''}>
              {name}
            </span>
          ) : (
            <button
              key={name}
              type="button"
              aria-label={`Sort by ${name}`}
              aria-pressed={sort.by === order}
              className={`flex items-center gap-0.5 hover:text-ink ${right ? 'justify-end' : 'px-1'} ${sort.by === order ? 'font-semibold text-ink' : ''}`}
              onClick={() => {
                turn(order);
              }}
            >
              {name}
              {sort.by === order && (sort.down ? <ChevronDown size={12} aria-hidden /> : <ChevronUp size={12} aria-hidden />)}
            </button>
          ),
        )}
      </div>
      <Chosen />
      <div className="min-h-0 flex-1 overflow-y-auto">
        {shown.map((draft) => (
          <ReelRow key={draft.id} draft={draft} dragged={dragged} />
        ))}
      </div>
    </div>
  );
}
