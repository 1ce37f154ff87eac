import type { Segment, Title } from '../reading';
import { compareTitles } from './compare';
import { CUT_SHARE, type Difference } from './model';

/** More titles than this are not compared with the main one segment by segment. */
const MOST_COMPARED = 200;

/** What another cut of a title has in common with it, and where it differs. */
export interface Cut {
  readonly sharedMs: number;
  readonly differences: readonly Difference[];
}

/** Titles that share most of the main one's material in the same order, and have some of their own. */
export function findCuts(main: Title, others: readonly Title[], segments: ReadonlyMap<string, Segment>): Map<number, Cut> {
  const cuts = new Map<number, Cut>();
  const own = new Set(main.parts.map((p) => p.segment));
  const near = others.filter((t) => t.parts.some((p) => own.has(p.segment)));
  for (const title of near.slice(0, MOST_COMPARED)) {
    const { sharedMs, differences } = compareTitles(title, main, segments);
    const longer = Math.max(title.durationMs, main.durationMs);
    if (differences.length > 0 && sharedMs >= longer * CUT_SHARE) cuts.set(title.number, { sharedMs, differences });
  }
  return cuts;
}
