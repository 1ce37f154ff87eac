import { withRecipe, type RecipeId } from '@/core/recipes';
import { useMemo } from 'react';
import type { Role } from '@/core/findings';
import {
  choiceFrom,
  divideAt,
  divideByAngles,
  divideByChapters,
  mergeReels,
  wholeTitleReel,
  withTracksLike,
  type HouseRules,
  type Proposal,
  type Reel,
} from '@/core/reels';
import { canBeTaken, type Title } from '@/core/reading';
import type { DiscRecord } from '@/store/db';
import { proposalNow, type Draft } from '@/store/draft';
import { keepChoice } from '@/store/rules';

/** What can be done with the reels of a disc. Every change of them can be undone. */
export interface ReelCommands {
  readonly change: (id: string, reel: Reel) => void;
  /** Makes a reel of a title as the house rules would. @returns its id; null where the title can not be taken. */
  readonly take: (title: number) => string | null;
  readonly remove: (ids: ReadonlySet<string>) => void;
  readonly addTitle: (into: string, title: number) => void;
  /** Appends reels to another, in the order in which they stand, and removes them. */
  readonly merge: (into: string, from: readonly string[]) => void;
  /** Puts others in the place of a reel, as when it is divided. */
  readonly replace: (id: string, made: readonly Reel[]) => void;
  readonly divideBefore: (id: string, chapters: readonly number[]) => void;
  /** @param momentsMs of the reel's title. */
  readonly divideAt: (id: string, momentsMs: readonly number[]) => void;
  readonly divideByAngles: (id: string) => void;
  /** Same tracks and recipes as one reel has, for others. */
  readonly likeThis: (id: string, others: readonly string[]) => void;
  readonly setRecipe: (ids: ReadonlySet<string>, recipe: RecipeId, on: boolean) => void;
  /** Keeps tracks and recipes of a reel for the other discs of its set. @returns the set and the title's part to play; null where there is none. */
  readonly keepForSet: (id: string) => Promise<{ readonly series: string; readonly role: Role } | null>;
  /** What is not on the queue is proposed anew. */
  readonly proposeAgain: () => Promise<void>;
}

export function useReelCommands(disc: DiscRecord, { change, record }: Draft, rules: HouseRules, proposal: Proposal): ReelCommands {
  return useMemo(() => {
    const titleOf = (number: number) => disc.reading.titles.find((t) => t.number === number);
    const ruledReel = (number: number): Reel | null => {
      const title = titleOf(number);
      if (!title || !canBeTaken(title)) return null;
      const proposed = proposal.reels.find((r) => r.pieces[0]?.title === number);
      if (proposed) return proposed;
      const isMatter = disc.findings.mainTitle === number && disc.findings.kind === 'film';
      const whole = wholeTitleReel(title, isMatter ? disc.name : `${disc.name} - title ${number}`);
      const like = proposal.reels[0];
      return { ...(like ? withTracksLike(disc.reading, whole, like) : whole), recipes: rules.recipes, tags: { ...disc.tags, work: '' } };
    };
    const only = (id: string, make: (reel: Reel) => Reel) => {
      change((all) => all.map((r) => (r.id === id ? { ...r, reel: make(r.reel) } : r)));
    };
    const replace = (id: string, made: readonly Reel[]) => {
      change((all) =>
        all.flatMap((r) => (r.id === id ? made.map((reel, i) => ({ id: i === 0 ? id : crypto.randomUUID(), reel, jobId: null })) : [r])),
      );
    };
    const divide = (id: string, make: (title: Title, reel: Reel) => readonly Reel[]) => {
      const reel = record?.reels.find((r) => r.id === id)?.reel;
      const title = titleOf(reel?.pieces[0]?.title ?? -1);
      if (reel && title) replace(id, make(title, reel));
    };
    return {
      change: (id, reel) => {
        only(id, () => reel);
      },
      take: (number) => {
        const reel = ruledReel(number);
        if (!reel) return null;
        const id = crypto.randomUUID();
        change((all) => [...all, { id, reel, jobId: null }]);
        return id;
      },
      remove: (ids) => {
        change((all) => all.filter((r) => !ids.has(r.id)));
      },
      addTitle: (into, number) => {
        const added = ruledReel(number);
        if (added) only(into, (reel) => mergeReels(reel, { ...added, chapterNames: [] }));
      },
      merge: (into, from) => {
        change((all) => {
          const sources = all.filter((r) => from.includes(r.id) && r.id !== into);
          if (sources.length === 0 || !all.some((r) => r.id === into)) return all;
          return all
            .filter((r) => !sources.includes(r))
            .map((r) => (r.id === into ? { ...r, reel: sources.reduce((merged, s) => mergeReels(merged, s.reel), r.reel) } : r));
        });
      },
      replace,
      divideBefore: (id, chapters) => {
        divide(id, (title, reel) => divideByChapters(title, reel, chapters));
      },
      divideAt: (id, momentsMs) => {
        divide(id, (title, reel) => divideAt(title, reel, momentsMs));
      },
      divideByAngles: (id) => {
        divide(id, divideByAngles);
      },
      likeThis: (id, others) => {
        const like = record?.reels.find((r) => r.id === id)?.reel;
        if (like) change((all) => all.map((r) => (others.includes(r.id) ? { ...r, reel: withTracksLike(disc.reading, r.reel, like) } : r)));
      },
      setRecipe: (ids, recipe, on) => {
        change((all) =>
          all.map((r) =>
            ids.has(r.id) && r.jobId === null ? { ...r, reel: { ...r.reel, recipes: withRecipe(r.reel.recipes, recipe, on) } } : r,
          ),
        );
      },
      keepForSet: async (id) => {
        const reel = record?.reels.find((r) => r.id === id)?.reel;
        const title = titleOf(reel?.pieces[0]?.title ?? -1);
        const role = disc.findings.titles.find((f) => f.title === title?.number)?.role;
        const { series } = disc.tags;
        if (!reel || !title || !role || series === '') return null;
        await keepChoice(choiceFrom(series, role, title, reel));
        return { series, role };
      },
      proposeAgain: async () => {
        const { reels } = await proposalNow(disc);
        change((all) => {
          const made = all.filter((r) => r.jobId !== null);
          const fresh = reels
            .filter((reel) => !made.some((m) => m.reel.pieces[0]?.title === reel.pieces[0]?.title))
            .map((reel) => ({ id: crypto.randomUUID(), reel, jobId: null }));
          return [...made, ...fresh];
        });
      },
    };
  }, [disc, change, record, rules, proposal]);
}
