import type { Findings, Role } from '../findings';
import { canBeTaken, type Reading } from '../reading';
import { dividingChapters } from './compose';
import { joinProblem } from './joining';
import type { Reel } from './model';

/** A reel as it stands on the Bench. */
export interface PlannedReel {
  readonly id: string;
  readonly reel: Reel;
  /** Job that was made of it; null while it is only planned and may still be changed. */
  readonly jobId: string | null;
}

/** What can be done with one of the planned reels, and why not. */
export interface ReelPossibilities {
  /** Chapters before which it can be divided; none where it can not. */
  readonly chapters: readonly number[];
  /** Chapters with which works of their own seem to begin. */
  readonly works: readonly number[];
  /** It is one piece of one title, not yet on the queue: it can be divided anywhere. */
  readonly divisible: boolean;
  /** Moment looked at, where the reel can be divided there: milliseconds of its title. */
  readonly momentMs: number | null;
  /** Angles that can become a reel each. */
  readonly angles: number;
  /** Reel before it, where it can be merged into that. */
  readonly before: string | null;
  /** Why it can not be merged into the one before; null where it can, or where there is none. */
  readonly mergeProblem: string | null;
  /** Other reels not yet queued whose title has the same part to play. */
  readonly alike: readonly string[];
  /** Other reels that are chosen and not yet queued. */
  readonly others: readonly string[];
  /** The chosen ones can be merged into it. */
  readonly canMergeOthers: boolean;
  readonly role: Role | null;
}

/** Why titles can not be joined to a planned reel without re-encoding; null where they can. */
export function joinRefusal(reading: Reading, planned: PlannedReel | undefined, titles: readonly number[]): string | null {
  const titleOf = (number: number | undefined) => reading.titles.find((t) => t.number === number);
  const first = titleOf(planned?.reel.pieces[0]?.title);
  if (!first || !planned) return null;
  if (planned.jobId !== null) return 'This reel is on the queue already';
  for (const number of titles) {
    const other = titleOf(number);
    if (!other || !canBeTaken(other)) return `Title ${number} can not be taken`;
    const problem = joinProblem(first, other);
    if (problem) return `${problem}: they can not be joined without re-encoding. Make a reel of each.`;
  }
  return null;
}

/**
 * What can be done with a reel among others.
 * @param chosen ids of the reels that are chosen.
 * @param moment title and time looked at; null where none is.
 */
export function possibleActions(
  { reading, findings }: { readonly reading: Reading; readonly findings: Findings },
  reels: readonly PlannedReel[],
  planned: PlannedReel,
  chosen: ReadonlySet<string>,
  moment: { readonly title: number; readonly ms: number } | null,
): ReelPossibilities {
  const { reel, id } = planned;
  const [piece] = reel.pieces;
  const title = reading.titles.find((t) => t.number === piece?.title);
  const titlesIn = (r: PlannedReel) => r.reel.pieces.map((p) => p.title);
  const roleOf = (r: PlannedReel) => findings.titles.find((f) => f.title === r.reel.pieces[0]?.title)?.role ?? null;
  const divisible = reel.pieces.length === 1 && title !== undefined && planned.jobId === null;
  const divisions = findings.titles.find((f) => f.title === piece?.title)?.divisions ?? [];
  const before = reels[reels.findIndex((r) => r.id === id) - 1];
  const mergeProblem = before ? joinRefusal(reading, before, titlesIn(planned)) : null;
  const open = reels.filter((r) => r.id !== id && r.jobId === null);
  const others = open.filter((r) => chosen.has(r.id));
  return {
    chapters: divisible && piece ? dividingChapters(title, piece) : [],
    works: divisible && divisions.length > 1 ? divisions : [],
    divisible,
    momentMs: divisible && moment?.title === title.number ? moment.ms : null,
    angles: divisible ? title.angles : 1,
    before: before && planned.jobId === null && mergeProblem === null ? before.id : null,
    mergeProblem,
    alike: open.filter((r) => roleOf(r) === roleOf(planned)).map((r) => r.id),
    others: others.map((r) => r.id),
    canMergeOthers: planned.jobId === null && others.length > 0 && others.every((o) => joinRefusal(reading, planned, titlesIn(o)) === null),
    role: roleOf(planned),
  };
}
