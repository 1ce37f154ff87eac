import { createContext, useContext } from 'react';
import type { Coverage, HouseRules, Proposal, ReelPossibilities, SizeExperience, TitleMoment } from '@/core/reels';
import type { Title } from '@/core/reading';
import type { EngineState } from '@/contract';
import type { DiscRecord, DraftReel } from '@/store/db';
import type { Draft } from '@/store/draft';
import type { Recipes } from '@/store/recipes';
import type { ReadableSource } from '@/store/sources';
import type { EditorPart } from './editor/parts';
import type { ReelPlace } from './reels/places';
import type { ReelCommands } from './reels/use-reel-commands';

/** What is open over the Bench. */
export type BenchDialog =
  { readonly kind: 'compare' | 'facts' | 'coverage' } | { readonly kind: 'divide' | 'rehearse'; readonly reel: string };

/** The Bench of one disc, as its parts see it. */
export interface BenchView {
  readonly disc: DiscRecord;
  readonly draft: Draft;
  readonly rules: HouseRules;
  /** All there are. */
  readonly recipes: Recipes;
  /** How copies by each recipe have come out here, against what was said beforehand, and what trials of this disc said. */
  readonly experience: SizeExperience;
  readonly engine: EngineState | null;
  readonly proposal: Proposal;
  readonly coverage: Coverage;
  /** Where pictures come from; null where the disc is nowhere to be read. */
  readonly source: ReadableSource | null;
  readonly reels: readonly DraftReel[];
  readonly places: ReadonlyMap<string, ReelPlace>;
  readonly commands: ReelCommands;
  readonly possible: (reel: DraftReel) => ReelPossibilities;
  /** Title that is looked at. */
  readonly title: Title | null;
  readonly selectTitle: (title: number) => void;
  /** Moment of that title that is looked at; null while its contact sheet is shown. */
  readonly moment: TitleMoment | null;
  readonly look: (moment: TitleMoment | null) => void;
  /** Gives the picture of that moment, or null where it can not be had; null where none is looked at. */
  readonly pictureLookedAt: (() => Promise<string | null>) | null;
  /** Reel that the keys and the editor are about. */
  readonly selected: DraftReel | null;
  readonly selectReel: (reel: DraftReel) => void;
  /** Reel that takes the title looked at. */
  readonly taking: DraftReel | null;
  readonly take: () => void;
  /** Reels chosen for what is done with many. */
  readonly chosen: ReadonlySet<string>;
  readonly choose: (chosen: ReadonlySet<string>) => void;
  /** Part of the editor that is open; null while the map has the room. */
  readonly editing: EditorPart | null;
  readonly edit: (part: EditorPart | null) => void;
  /** Part that is shown when the editor is opened. */
  readonly lastPart: EditorPart;
  readonly dialog: BenchDialog | null;
  readonly openDialog: (dialog: BenchDialog | null) => void;
  /** A stretch that no title leads to and that is to be seen on the map: a new wish each time. */
  readonly stretch: { readonly id: string } | null;
  readonly showStretch: (id: string) => void;
}

const BenchContext = createContext<BenchView | null>(null);
export const BenchProvider = BenchContext.Provider;

/** The Bench around a part of it. */
export function useBench(): BenchView {
  const bench = useContext(BenchContext);
  if (!bench) throw new Error('parts of the Bench stand on a Bench');
  return bench;
}
