import type { Findings, Role } from '@/core/findings';
import type { Reading, Title } from '@/core/reading';

export interface MapGroup {
  readonly name: string;
  readonly roles: readonly Role[];
  /** From so many titles on, they are shown only when asked for. */
  readonly foldedFrom?: number;
}

const GROUPS: readonly MapGroup[] = [
  { name: 'Film', roles: ['main', 'cut', 'version', 'feature'] },
  { name: 'Episodes', roles: ['episode'] },
  { name: 'Repeats', roles: ['play-all', 'duplicate', 'part'], foldedFrom: 13 },
  { name: 'Extras', roles: ['extra'] },
  { name: 'Decoys', roles: ['decoy'], foldedFrom: 5 },
  { name: 'The rest', roles: ['menu', 'short', 'unusable'] },
];

export interface ShownGroup extends MapGroup {
  readonly titles: readonly Title[];
}
export type MapRow = { readonly kind: 'heading'; readonly group: ShownGroup } | { readonly kind: 'lane'; readonly title: Title };

/** So many that they are folded away until they are asked for. */
export const folds = (group: ShownGroup): boolean => group.titles.length >= (group.foldedFrom ?? Number.POSITIVE_INFINITY);

/** Titles by what they are, in the order in which they matter. */
export function groupsOf(reading: Reading, findings: Findings): ShownGroup[] {
  const roles = new Map(findings.titles.map((f) => [f.title, f.role]));
  return GROUPS.map((g) => ({ ...g, titles: reading.titles.filter((t) => g.roles.includes(roles.get(t.number) ?? 'extra')) })).filter(
    (g) => g.titles.length > 0,
  );
}

/** Headings and lanes in one row each: only those that are seen need be drawn. @param unfolded names of groups that are shown whole. */
export const rowsOf = (groups: readonly ShownGroup[], unfolded: readonly string[]): MapRow[] =>
  groups.flatMap((group): readonly MapRow[] => [
    { kind: 'heading', group },
    ...(folds(group) && !unfolded.includes(group.name) ? [] : group.titles.map((title): MapRow => ({ kind: 'lane', title }))),
  ]);
