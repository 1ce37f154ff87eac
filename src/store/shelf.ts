import type { DiscRecord } from './db';
import type { DiscState } from './disc-state';

/** What the Shelf is narrowed down to; empty texts narrow nothing. */
export interface ShelfFilter {
  readonly search: string;
  readonly state: DiscState | '';
  /** "series NAME" or "label NAME". */
  readonly group: string;
}

type Filtered = { readonly disc: Pick<DiscRecord, 'name' | 'reading' | 'tags' | 'labels'>; readonly state: DiscState };
const SERIES = 'series ';
const LABEL = 'label ';

/** Whether a disc is shown. Words are looked for in all that is said of it, whatever their case. */
export function isShown({ disc, state }: Filtered, filter: ShelfFilter): boolean {
  if (filter.state !== '' && state !== filter.state) return false;
  if (filter.group.startsWith(SERIES) && disc.tags.series !== filter.group.slice(SERIES.length)) return false;
  if (filter.group.startsWith(LABEL) && !disc.labels.includes(filter.group.slice(LABEL.length))) return false;
  const { series, accession, notes } = disc.tags;
  const text = [disc.name, disc.reading.label, state, series, accession, notes, ...disc.labels].join(' ').toLowerCase();
  return text.includes(filter.search.trim().toLowerCase());
}

/** Series and labels that discs have, as choices of the filter. */
export function groupsOfShelf(rows: readonly Filtered[]): { readonly value: string; readonly name: string }[] {
  const series = new Set(rows.map((r) => r.disc.tags.series).filter((s) => s !== ''));
  const labels = new Set(rows.flatMap((r) => r.disc.labels));
  return [
    ...[...series].sort().map((s) => ({ value: SERIES + s, name: `series: ${s}` })),
    ...[...labels].sort().map((l) => ({ value: LABEL + l, name: `label: ${l}` })),
  ];
}
