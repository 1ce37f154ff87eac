'use client';

import {
  createColumnHelper,
  createSortedRowModel,
  rowSortingFeature,
  sortFn_alphanumeric,
  sortFn_basic,
  tableFeatures,
  useTable,
} from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ChevronDown, ChevronRight } from 'lucide-react';
import { useMemo, useRef, useState, type CSSProperties, type ReactNode } from 'react';
import { grouped, inHeldOrder } from './grouped';
import { useKept } from './use-kept';

/** A column: what it sorts by, and what it shows. */
export interface Column<Row> {
  readonly id: string;
  readonly name: string;
  /** Track of the grid: "120px", "minmax(0,1fr)". */
  readonly width: string;
  readonly right?: boolean;
  /** Null for a column that is not sorted by. */
  readonly value: ((row: Row) => string | number) | null;
  readonly cell: (row: Row) => ReactNode;
}

const features = tableFeatures({
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { alphanumeric: sortFn_alphanumeric, basic: sortFn_basic },
});

/** Rows above and below what is seen that are drawn ahead. */
const AHEAD = 12;

const HEADING_HEIGHT = 36;

function GroupHeading({
  name,
  count,
  isFolded,
  rowIndex,
  columns,
  style,
  onTurn,
}: {
  name: string;
  count: number;
  isFolded: boolean;
  rowIndex: number;
  columns: number;
  style: CSSProperties;
  onTurn: () => void;
}) {
  return (
    <div
      role="row"
      aria-rowindex={rowIndex}
      className="absolute inset-x-0 flex items-end border-b border-line bg-card px-2.5 pb-1"
      style={style}
    >
      <div role="cell" aria-colspan={columns}>
        <button type="button" aria-expanded={!isFolded} className="flex items-baseline gap-2 hover:text-accent" onClick={onTurn}>
          {isFolded ? <ChevronRight size={13} aria-hidden /> : <ChevronDown size={13} aria-hidden />}
          <span className="font-serif text-[16px] font-semibold">{name}</span>
          <span className="text-second">{count}</span>
        </button>
      </div>
    </div>
  );
}

function DataRow<Row extends object>({
  row,
  columns,
  rowIndex,
  label,
  selected,
  onSelect,
  style,
}: {
  row: Row;
  columns: readonly Column<Row>[];
  rowIndex: number;
  label: string | undefined;
  /** Null where rows are not selected. */
  selected: boolean | null;
  onSelect: ((row: Row) => void) | undefined;
  style: CSSProperties;
}) {
  return (
    <div
      role="row"
      aria-rowindex={rowIndex}
      {...(label === undefined ? {} : { 'aria-label': label })}
      {...(selected === null ? {} : { 'aria-selected': selected })}
      onClick={() => onSelect?.(row)}
      className={`absolute inset-x-0 grid items-center border-b border-faint ${onSelect ? 'cursor-pointer' : ''} ${selected === true ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash'}`}
      style={style}
    >
      {columns.map((c) => (
        <div key={c.id} role="cell" className={`min-w-0 truncate px-2.5 ${c.right ? 'text-right' : ''}`}>
          {c.cell(row)}
        </div>
      ))}
    </div>
  );
}

/** What the columns are called; a click sorts by one. */
function Headings<Row extends object>({
  table,
  columns,
  grid,
  onSort,
}: {
  table: ReturnType<typeof useSortedTable<Row>>;
  columns: readonly Column<Row>[];
  grid: string;
  /** Hears how it is sorted from now on; null where nobody remembers. */
  onSort: ((sort: string) => void) | null;
}) {
  return (
    <>
      {table.getHeaderGroups().map((group) => (
        <div
          key={group.id}
          role="row"
          className="sticky top-0 z-10 grid border-b border-faint bg-card"
          style={{ gridTemplateColumns: grid }}
        >
          {group.headers.map((header, i) => {
            const column = columns[i];
            const order = header.column.getIsSorted();
            return (
              <div
                key={header.id}
                role="columnheader"
                aria-sort={order === 'asc' ? 'ascending' : order === 'desc' ? 'descending' : 'none'}
                className={`smallcaps whitespace-nowrap px-2.5 py-1.5 ${column?.right ? 'text-right' : ''}`}
              >
                {column?.value ? (
                  <button
                    type="button"
                    className={`uppercase ${order ? 'text-ink' : 'hover:text-ink'}`}
                    onClick={(event) => {
                      header.column.getToggleSortingHandler()?.(event);
                      onSort?.(`${header.column.id} ${header.column.getNextSortingOrder() === 'desc' ? 'down' : 'up'}`);
                    }}
                  >
                    {column.name}
                    {order === 'asc' ? ' ↑' : order === 'desc' ? ' ↓' : ''}
                  </button>
                ) : (
                  column?.name
                )}
              </div>
            );
          })}
        </div>
      ))}
    </>
  );
}

function useSortedTable<Row extends object>(
  rows: readonly Row[],
  columns: readonly Column<Row>[],
  keyOf: (row: Row) => string,
  sortedBy: string,
) {
  const defined = useMemo(() => {
    const helper = createColumnHelper<typeof features, Row>();
    return helper.columns(
      columns.map((c) =>
        helper.accessor((row: Row) => c.value?.(row) ?? '', {
          id: c.id,
          header: c.name,
          enableSorting: c.value !== null,
          sortFn: 'alphanumeric',
        }),
      ),
    );
  }, [columns]);
  const data = useMemo(() => [...rows], [rows]);
  const initialState = useMemo(() => ({ sorting: [{ id: sortedBy.replace(/ \w+$/, ''), desc: sortedBy.endsWith('down') }] }), [sortedBy]);
  return useTable({ features, columns: defined, data, initialState, getRowId: keyOf });
}

interface DataTableProps<Row> {
  readonly label: string;
  readonly rows: readonly Row[];
  readonly columns: readonly Column<Row>[];
  readonly keyOf: (row: Row) => string;
  readonly rowHeight: number;
  readonly firstSort: { readonly id: string; readonly desc: boolean };
  readonly selected?: string | null;
  readonly onSelect?: (row: Row) => void;
  readonly rowLabel?: (row: Row) => string;
  /** Puts rows under headings, in the order of those; empty for rows of no group, which come last. They can be folded. */
  readonly groupOf?: ((row: Row) => string) | null;
  /** What stands over rows of no group. */
  readonly noGroup?: string;
  /** Under which name this browser remembers how it is sorted. */
  readonly keptAs?: string;
}

/**
 * A table of any length: only the rows that are seen are drawn. Sorted by its headings.
 * Keyboard: headings and whatever the cells hold are reached with Tab.
 */
export function DataTable<Row extends object>({
  label,
  rows,
  columns,
  keyOf,
  rowHeight,
  firstSort,
  selected,
  onSelect,
  rowLabel,
  groupOf,
  noGroup = 'the others',
  keptAs,
}: DataTableProps<Row>) {
  const sorts = useMemo(() => columns.flatMap((c) => [`${c.id} up`, `${c.id} down`]), [columns]);
  const [kept, keep] = useKept(keptAs ?? `${label} sort`, sorts, `${firstSort.id} ${firstSort.desc ? 'down' : 'up'}`);
  // Only how it was sorted when it was opened: the table sorts itself from then on.
  const [sortedBy] = useState(kept);
  const table = useSortedTable(rows, columns, keyOf, sortedBy);
  const byColumn = table.getRowModel().rows;
  // Rows come and are sorted anew by themselves, as discs are read: not while the pointer is among them.
  const [held, setHeld] = useState<readonly string[] | null>(null);
  const sorted = useMemo(() => (held ? inHeldOrder(byColumn, held, (row) => row.id) : byColumn), [byColumn, held]);
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set());
  const items = useMemo(() => grouped(sorted, groupOf ? (row) => groupOf(row.original) : null, folded), [sorted, groupOf, folded]);
  const scroller = useRef<HTMLDivElement>(null);
  // It draws itself anew on every scroll: there is nothing in it for the compiler to remember.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => (items[i]?.kind === 'heading' ? HEADING_HEIGHT : rowHeight),
    overscan: AHEAD,
  });
  const grid = columns.map((c) => c.width).join(' ');
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-auto" tabIndex={-1}>
      <div role="table" aria-label={label} aria-rowcount={items.length + 1}>
        <Headings table={table} columns={columns} grid={grid} onSort={keptAs ? keep : null} />
        <div
          role="rowgroup"
          className="relative"
          style={{ height: virtual.getTotalSize() }}
          onPointerEnter={() => {
            setHeld(byColumn.map((row) => row.id));
          }}
          onPointerLeave={() => {
            setHeld(null);
          }}
        >
          {virtual.getVirtualItems().map((item) => {
            const entry = items[item.index];
            if (!entry) return null;
            const position = { height: item.size, transform: `translateY(${item.start}px)` };
            if (entry.kind === 'heading') {
              const { name, count } = entry;
              return (
                <GroupHeading
                  key={`heading ${name}`}
                  name={name === '' ? noGroup : name}
                  count={count}
                  isFolded={folded.has(name)}
                  rowIndex={item.index + 2}
                  columns={columns.length}
                  style={position}
                  onTurn={() => {
                    const next = new Set(folded);
                    if (!next.delete(name)) next.add(name);
                    setFolded(next);
                  }}
                />
              );
            }
            const { original } = entry.row;
            const key = keyOf(original);
            return (
              <DataRow
                key={key}
                row={original}
                columns={columns}
                rowIndex={item.index + 2}
                label={rowLabel?.(original)}
                selected={onSelect ? key === selected : null}
                onSelect={onSelect}
                style={{ gridTemplateColumns: grid, ...position }}
              />
            );
          })}
        </div>
      </div>
    </div>
  );
}
