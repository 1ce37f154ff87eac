'use client';

import { useLiveQuery } from 'dexie-react-hooks';
import Link from 'next/link';
import { useMemo, useState } from 'react';
import { catalogue, type DiscRecord } from '@/store/db';
import { discState, type DiscState } from '@/store/disc-state';
import { useEngine } from '@/store/engine';
import { useOutputs } from '@/store/outputs';
import { bytes, clock, day } from '../format';
import { Empty, Panel, StateText, type State } from '../parts/controls';
import { CoverageBar, percentOf } from '../parts/coverage-bar';
import { discSentence } from '../words';
import { Trays } from './trays';

const STATE: Readonly<Record<DiscState, State>> = {
  running: 'running',
  'in the vault': 'kept',
  'partly in the vault': 'kept',
  planned: 'planned',
  'needs eyes': 'eyes',
  read: 'none',
};

interface Row {
  readonly disc: DiscRecord;
  readonly state: DiscState;
  readonly coverage: ReturnType<typeof discState>['coverage'];
}
type SortKey = 'name' | 'state' | 'read' | 'length' | 'size';

const length = (row: Row) =>
  row.disc.reading.titles.find((t) => t.number === (row.disc.findings.mainTitle ?? row.disc.findings.outOfReach))?.durationMs ?? 0;
const COMPARE: Readonly<Record<SortKey, (a: Row, b: Row) => number>> = {
  name: (a, b) => a.disc.name.localeCompare(b.disc.name),
  state: (a, b) => a.state.localeCompare(b.state),
  read: (a, b) => b.disc.readAt.localeCompare(a.disc.readAt),
  length: (a, b) => length(b) - length(a),
  size: (a, b) => b.disc.reading.sizeBytes - a.disc.reading.sizeBytes,
};

function useRows(): Row[] | null {
  const { state } = useEngine();
  const discs = useLiveQuery(() => catalogue.discs.toArray(), []);
  const drafts = useLiveQuery(() => catalogue.drafts.toArray(), []);
  const jobs = useLiveQuery(() => catalogue.jobs.toArray(), []);
  const outputs = useOutputs();
  return useMemo(() => {
    if (!discs || !drafts || !jobs) return null;
    return discs.map((disc) => ({
      disc,
      ...discState(
        disc,
        drafts.find((d) => d.fingerprint === disc.fingerprint),
        state?.jobs ?? jobs,
        outputs ?? [],
      ),
    }));
  }, [discs, drafts, jobs, outputs, state?.jobs]);
}

function Heading({
  name,
  id,
  sort,
  onSort,
  right = false,
}: {
  name: string;
  id: SortKey;
  sort: SortKey;
  onSort: (key: SortKey) => void;
  right?: boolean;
}) {
  return (
    <th
      scope="col"
      aria-sort={sort === id ? 'ascending' : 'none'}
      className={`smallcaps px-3 py-1.5 font-normal ${right ? 'text-right' : 'text-left'}`}
    >
      <button
        type="button"
        className={`uppercase ${sort === id ? 'text-ink' : 'hover:text-ink'}`}
        onClick={() => {
          onSort(id);
        }}
      >
        {name}
      </button>
    </th>
  );
}

function Collection({ rows }: { rows: readonly Row[] }) {
  const [sort, setSort] = useState<SortKey>('read');
  const sorted = useMemo(() => [...rows].sort(COMPARE[sort]), [rows, sort]);
  return (
    <div className="min-h-0 flex-1 overflow-y-auto">
      <table className="w-full border-collapse">
        <thead className="sticky top-0 bg-card">
          <tr className="border-b border-faint">
            <Heading name="Disc" id="name" sort={sort} onSort={setSort} />
            <Heading name="State" id="state" sort={sort} onSort={setSort} />
            <th scope="col" className="smallcaps px-3 py-1.5 text-left font-normal">
              Coverage
            </th>
            <Heading name="Length" id="length" sort={sort} onSort={setSort} right />
            <Heading name="Size" id="size" sort={sort} onSort={setSort} right />
            <Heading name="Read" id="read" sort={sort} onSort={setSort} right />
          </tr>
        </thead>
        <tbody>
          {sorted.map((row) => (
            <tr key={row.disc.fingerprint} className="relative border-b border-faint hover:bg-wash">
              <td className="max-w-0 px-3 py-2 align-top w-[42%]">
                <Link
                  href={`/bench/${row.disc.fingerprint.slice(0, 16)}`}
                  className="block truncate font-serif text-[16px] leading-tight font-medium after:absolute after:inset-0"
                >
                  {row.disc.name}
                </Link>
                <span className="block truncate text-second">{discSentence(row.disc.reading, row.disc.findings)}</span>
              </td>
              <td className="px-3 py-2 align-top whitespace-nowrap">
                <StateText state={STATE[row.state]}>{row.state}</StateText>
              </td>
              <td className="w-36 px-3 py-2 align-top">
                <CoverageBar coverage={row.coverage} className="mt-1.5" />
                <span className="whitespace-nowrap text-third">{percentOf(row.coverage, 'kept')} % in the vault</span>
              </td>
              <td className="px-3 py-2 text-right align-top">{clock(length(row))}</td>
              <td className="px-3 py-2 text-right align-top whitespace-nowrap">{bytes(row.disc.reading.sizeBytes)}</td>
              <td className="px-3 py-2 text-right align-top whitespace-nowrap text-second">{day(row.disc.readAt)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** The collection, and where its discs come from. */
export function ShelfPage() {
  const { state } = useEngine();
  const rows = useRows();
  const [search, setSearch] = useState('');
  const known = useMemo(() => new Set((rows ?? []).flatMap((r) => r.disc.sources.map((s) => JSON.stringify(s.ref)))), [rows]);
  const wanted = search.trim().toLowerCase();
  const shown = (rows ?? []).filter(
    (r) => wanted === '' || `${r.disc.name} ${r.disc.reading.label} ${r.state}`.toLowerCase().includes(wanted),
  );
  return (
    <div className="mx-auto flex h-full max-w-[2200px] flex-col gap-3 px-5 pt-4 pb-5">
      <h1 className="font-serif text-[24px] leading-none font-medium">The shelf</h1>
      <div className="grid min-h-0 flex-1 grid-cols-[340px_minmax(0,1fr)] gap-4">
        {state ? (
          <Trays engine={state} knownSources={known} />
        ) : (
          <Panel>
            <Empty title="Looking for the engine…" />
          </Panel>
        )}
        <Panel
          label="Collection"
          title={rows ? `Collection, ${String(rows.length)} ${rows.length === 1 ? 'disc' : 'discs'}` : 'Collection'}
          aside={
            <input
              type="search"
              aria-label="Search the collection"
              placeholder="Search"
              value={search}
              onChange={(e) => {
                setSearch(e.target.value);
              }}
              className="w-52 rounded-[6px] border border-line bg-paper px-2 py-0.5 placeholder:text-third"
            />
          }
        >
          {rows === null ? (
            <Empty title="Opening the catalogue…" />
          ) : rows.length === 0 ? (
            <Empty title="No disc has been read yet">
              Insert one into a tray, or read an image, on the left. It takes a few seconds and changes nothing on the disc.
            </Empty>
          ) : shown.length === 0 ? (
            <Empty title={`No disc matches “${search}”`} />
          ) : (
            <Collection rows={shown} />
          )}
        </Panel>
      </div>
    </div>
  );
}
