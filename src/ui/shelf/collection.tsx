'use client';

import Link from 'next/link';
import { useMemo } from 'react';
import type { DiscRecord } from '@/store/db';
import type { DiscState, discState } from '@/store/disc-state';
import { bytes, clock, day } from '../format';
import { StateText, type State } from '../parts/controls';
import { CoverageBar, percentOf } from '../parts/coverage-bar';
import { DataTable, type Column } from '../parts/data-table';
import { discSentence } from '../words';

export const STATE: Readonly<Record<DiscState, State>> = {
  running: 'running',
  'in the vault': 'kept',
  'partly in the vault': 'kept',
  planned: 'planned',
  'needs eyes': 'eyes',
  read: 'none',
};

/** What the discs stand under: nothing, or a heading each. */
export type Grouping = 'none' | 'series' | 'label' | 'state';
const GROUP_OF: Readonly<Record<Exclude<Grouping, 'none'>, (row: DiscRow) => string>> = {
  series: ({ disc: { tags } }) => (tags.series === '' ? '' : `${tags.series}${tags.season === null ? '' : `, season ${tags.season}`}`),
  label: ({ disc }) => disc.labels[0] ?? '',
  state: (row) => row.state,
};

export interface DiscRow {
  readonly disc: DiscRecord;
  /** Of the disc, or of the first reel that has one. */
  readonly cover: string | null;
  readonly state: DiscState;
  readonly coverage: ReturnType<typeof discState>['coverage'];
}

const lengthOf = ({ disc }: DiscRow) =>
  disc.reading.titles.find((t) => t.number === (disc.findings.mainTitle ?? disc.findings.outOfReach))?.durationMs ?? 0;

/** Series and labels of a disc in a few words. */
const belongs = ({ tags, labels }: DiscRecord, grouping: Grouping) =>
  [tags.series === '' || grouping === 'series' ? '' : `${tags.series}${tags.season === null ? '' : ` ${tags.season}`}`, ...labels]
    .filter((w) => w !== '')
    .join(', ');

/** The collection as a table: thousands of rows stay smooth, since only those that are seen are drawn. */
export function Collection({
  rows,
  chosen,
  grouping,
  onChoose,
}: {
  rows: readonly DiscRow[];
  chosen: ReadonlySet<string>;
  grouping: Grouping;
  onChoose: (chosen: ReadonlySet<string>) => void;
}) {
  const allChosen = rows.length > 0 && rows.every((r) => chosen.has(r.disc.fingerprint));
  const columns = useMemo<Column<DiscRow>[]>(
    () => [
      {
        id: 'choose',
        name: '',
        width: '34px',
        value: null,
        cell: ({ disc }) => (
          <input
            type="checkbox"
            aria-label={`Choose ${disc.name}`}
            className="relative z-[1] my-1.5 accent-(--accent)"
            checked={chosen.has(disc.fingerprint)}
            onChange={(e) => {
              const next = new Set(chosen);
              if (e.target.checked) next.add(disc.fingerprint);
              else next.delete(disc.fingerprint);
              onChoose(next);
            }}
          />
        ),
      },
      {
        id: 'name',
        name: 'Disc',
        width: 'minmax(0,1fr)',
        value: (r) => r.disc.name,
        cell: ({ disc, cover }) => (
          <span className="flex items-center gap-2.5">
            {cover && (
              // eslint-disable-next-line @next/next/no-img-element
              <img src={cover} alt="" className="h-10 w-14 shrink-0 rounded-[3px] bg-black object-contain" />
            )}
            <span className="min-w-0 flex-1">
              <Link
                href={`/bench/${disc.fingerprint.slice(0, 16)}`}
                className="block truncate font-serif text-[16px] leading-tight font-medium after:absolute after:inset-0"
              >
                {disc.name}
              </Link>
              <span
                className="block truncate text-second"
                {...(disc.sources.length > 1 ? { title: `Read from ${disc.sources.map((s) => s.name).join(', ')}` } : {})}
              >
                {[
                  disc.sources.length > 1 ? `seen in ${disc.sources.length} places` : '',
                  belongs(disc, grouping),
                  discSentence(disc.reading, disc.findings),
                ]
                  .filter((part) => part !== '')
                  .join(' · ')}
              </span>
            </span>
          </span>
        ),
      },
      {
        id: 'state',
        name: 'State',
        width: '138px',
        value: (r) => r.state,
        cell: (r) => <StateText state={STATE[r.state]}>{r.state}</StateText>,
      },
      {
        id: 'coverage',
        name: 'Coverage',
        width: '124px',
        value: (r) => percentOf(r.coverage, 'kept'),
        cell: (r) => (
          <>
            <CoverageBar coverage={r.coverage} />
            <span className="text-[12px] whitespace-nowrap text-third">{percentOf(r.coverage, 'kept')} % in the vault</span>
          </>
        ),
      },
      { id: 'length', name: 'Length', width: '74px', right: true, value: lengthOf, cell: (r) => clock(lengthOf(r)) },
      {
        id: 'size',
        name: 'Size',
        width: '78px',
        right: true,
        value: (r) => r.disc.reading.sizeBytes,
        cell: (r) => bytes(r.disc.reading.sizeBytes),
      },
      {
        id: 'read',
        name: 'Read',
        width: '104px',
        right: true,
        value: (r) => r.disc.readAt,
        cell: (r) => <span className="text-second">{day(r.disc.readAt)}</span>,
      },
    ],
    [chosen, onChoose, grouping],
  );
  return (
    <>
      <label className="flex items-center gap-2 border-b border-faint px-2.5 py-1 text-second">
        <input
          type="checkbox"
          className="accent-(--accent)"
          checked={allChosen}
          onChange={() => {
            onChoose(allChosen ? new Set() : new Set(rows.map((r) => r.disc.fingerprint)));
          }}
        />
        {chosen.size > 0 ? `${chosen.size} chosen` : `choose all ${rows.length} shown`}
      </label>
      <DataTable
        label="Discs"
        rows={rows}
        columns={columns}
        keyOf={(r) => r.disc.fingerprint}
        rowHeight={52}
        noGroup={grouping === 'label' ? 'without a label' : 'of no series'}
        groupOf={grouping === 'none' ? null : GROUP_OF[grouping]}
        firstSort={{ id: 'read', desc: true }}
        rowLabel={(r) => `${r.disc.name}, ${r.state}, ${discSentence(r.disc.reading, r.disc.findings)}`}
      />
    </>
  );
}
