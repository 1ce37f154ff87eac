import { useDndContext } from '@dnd-kit/core';
import { useMemo } from 'react';
import { MASTER, planEncode, type RecipeId } from '@/core/recipes';
import { encodeFacts, joinRefusal, estimateReel, takenTwice } from '@/core/reels';
import type { Role } from '@/core/findings';
import type { DiscRecord, DraftReel } from '@/store/db';
import type { Recipes } from '@/store/recipes';
import { clock } from '../../format';
import { reasonText } from '../../words-recipes';
import { useBench } from '../bench-context';
import { NO_PLACE } from './places';

/** What is said of a reel that takes the main title's material once more: it may be wanted, but not by mistake. */
const SECOND: Partial<Readonly<Record<Role, string>>> = {
  cut: 'another cut',
  version: 'same picture',
  duplicate: 'a duplicate',
  decoy: 'a decoy',
  'play-all': 'a play-all',
};

/** What somebody should know of a reel's copies before they are made, by recipe: each thing once. */
function remarksOn(disc: DiscRecord, reel: DraftReel['reel'], recipes: Recipes): ReadonlyMap<RecipeId, readonly string[]> {
  const facts = encodeFacts(disc.reading, reel);
  if (!facts) return new Map();
  return new Map(
    reel.recipes.flatMap((id) => {
      const recipe = id === MASTER ? undefined : recipes.byId.get(id);
      if (!recipe) return [];
      const eyes = planEncode(recipe, facts).reasons.filter((r) => r.weight === 'eyes');
      return eyes.length > 0 ? [[id, [...new Set(eyes.map(reasonText))]] as const] : [];
    }),
  );
}

/** What a card and a row of the list show of a reel, and how it is dragged. */
export function useReel(draft: DraftReel, dragged: readonly number[]) {
  const { disc, recipes, experience, places, selected, chosen, choose } = useBench();
  const { reel, jobId } = draft;
  const locked = jobId !== null;
  const { active, over } = useDndContext();
  const planned = useMemo(
    () => ({ estimate: estimateReel(disc.reading, reel, recipes.byId, experience), remarks: remarksOn(disc, reel, recipes) }),
    [disc, reel, recipes, experience],
  );
  const twice = takenTwice(disc.reading.titles, reel.pieces);
  const role = disc.findings.titles.find((f) => f.title === reel.pieces[0]?.title)?.role ?? 'extra';
  return {
    locked,
    isOver: over?.id === `reel ${draft.id}`,
    isDragging: active?.id === `card ${draft.id}`,
    place: places.get(draft.id) ?? NO_PLACE,
    ...planned,
    remark: twice === null ? (SECOND[role] ?? null) : `takes some of title ${twice} twice`,
    /** Why what is being dragged can not be joined to it; null where it can, or where nothing is. */
    refusal: dragged.length > 0 ? joinRefusal(disc.reading, draft, dragged) : null,
    isSelected: selected?.id === draft.id,
    isChosen: chosen.has(draft.id),
    setChosen: (on: boolean) => {
      const next = new Set(chosen);
      if (on) next.add(draft.id);
      else next.delete(draft.id);
      choose(next);
    },
    /** Each piece in words. */
    pieces: reel.pieces.map((p) => {
      const chapters = disc.reading.titles.find((t) => t.number === p.title)?.chapters.length ?? 0;
      if (p.range) return `title ${p.title}, ${clock(p.range.fromMs)} to ${clock(p.range.toMs)}`;
      const whole = p.fromChapter === 1 && p.toChapter === chapters;
      return `title ${p.title}${whole ? (chapters > 1 ? `, all ${chapters} chapters` : '') : `, chapters ${p.fromChapter} to ${p.toChapter}`}`;
    }),
  };
}
export type ReelFacts = ReturnType<typeof useReel>;
