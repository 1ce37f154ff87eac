export type Item<R> =
  { readonly kind: 'heading'; readonly name: string; readonly count: number } | { readonly kind: 'row'; readonly row: R };

/** Rows under the headings of their groups, those of no group last. Without groups they stay as they are. */
export function grouped<R>(rows: readonly R[], groupOf: ((row: R) => string) | null, folded: ReadonlySet<string>): Item<R>[] {
  if (!groupOf) return rows.map((row) => ({ kind: 'row', row }));
  const groups = new Map<string, R[]>();
  for (const row of rows) {
    const name = groupOf(row);
    const list = groups.get(name);
    if (list) list.push(row);
    else groups.set(name, [row]);
  }
  const names = [...groups.keys()].sort((a, b) => Number(a === '') - Number(b === '') || a.localeCompare(b, undefined, { numeric: true }));
  return names.flatMap((name): Item<R>[] => {
    const list = groups.get(name) ?? [];
    return [{ kind: 'heading', name, count: list.length }, ...(folded.has(name) ? [] : list.map((row): Item<R> => ({ kind: 'row', row })))];
  });
}

/** Rows in an order that was held, those that have come since behind them: what one is about to click must not move away. */
export function inHeldOrder<R>(rows: readonly R[], held: readonly string[], keyOf: (row: R) => string): R[] {
  const place = new Map(held.map((key, i) => [key, i]));
  const at = (row: R) => place.get(keyOf(row)) ?? held.length;
  return rows
    .map((row, i) => ({ row, i }))
    .sort((a, b) => at(a.row) - at(b.row) || a.i - b.i)
    .map(({ row }) => row);
}
