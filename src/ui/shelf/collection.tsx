'use client';

import Link from 'next/link';
import { useMemo } from 'react';
import type { DiscRecord } from '@/store/db';
import type { DiscState, LeftTitles, discState } from '@/store/disc-state';
import { bytes, clock, day, list } from '../format';
import { StateText, type State } from '../parts/controls';
import { CoverageBar, coverageText, percentOf } from '../parts/coverage-bar';
import { DataTable, type Column } from '../parts/data-table';
import { DiscPicture } from '../parts/disc-picture';
import { ROLE, ROLE_PLURAL, discSentence } from '../words';

export const STATE: Readonly<Record<DiscState, State>> = {
  running: 'running',
  waiting: 'planned',
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
  readonly left: readonly LeftTitles[];
  /** Share of it that was slow or failing when an image was taken; null where none was. */
  readonly worn: number | null;
}

const lengthOf = ({ disc }: DiscRow) =>
  disc.reading.titles.find((t) => t.number === (disc.findings.mainTitle ?? disc.findings.outOfReach))?.durationMs ?? 0;

/** Series and labels of a disc in a few words. */
const belongs = ({ tags, labels }: DiscRecord, grouping: Grouping) =>
  [tags.series === '' || grouping === 'series' ? '' : `${tags.series}${tags.season === null ? '' : ` ${tags.season}`}`, ...labels]
    .filter((w) => w !== '')
    .join(', ');

/** How much is in the vault; where nothing is, how much is on its way there. */
function shareText({ coverage }: DiscRow): string {
  const [kept, planned] = [percentOf(coverage, 'kept'), percentOf(coverage, 'planned')];
  return kept > 0 ? `${kept} % kept` : planned > 0 ? `${planned} % planned` : 'nothing taken';
}

/** What a disc has that is neither in the vault nor planned, in a word or two. */
const leftText = (left: readonly LeftTitles[]): string =>
  left.length === 0 ? '' : `left: ${list(left.map((l) => `${l.count} ${l.count === 1 ? ROLE[l.role] : ROLE_PLURAL[l.role]}`))}`;

/** There where any disc has been read so far that it can be told. */
const WORN: Column<DiscRow> = {
  id: 'worn',
  name: 'Worn',
  width: '58px',
  right: true,
  value: (r) => r.worn ?? -1,
  cell: (r) =>
    r.worn === null ? null : (
      <span
        title="Of the disc, slow or failing at the first try when its image was taken"
        className={r.worn > 0 ? 'text-damaged' : 'text-second'}
      >
        {Math.ceil(r.worn * 100)} %
      </span>
    ),
};

const columnsOf = (
  chosen: ReadonlySet<string>,
  onChoose: (chosen: ReadonlySet<string>) => void,
  grouping: Grouping,
  isWornKnown: boolean,
): Column<DiscRow>[] => [
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
    width: 'minmax(180px,1fr)',
    value: (r) => r.disc.name,
    cell: ({ disc, cover }) => (
      <span className="flex items-center gap-2.5">
        <DiscPicture fingerprint={disc.fingerprint} cover={cover} />
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
    width: 'minmax(112px,138px)',
    value: (r) => r.state,
    cell: (r) => <StateText state={STATE[r.state]}>{r.state}</StateText>,
  },
  {
    id: 'coverage',
    name: 'Coverage',
    width: 'minmax(112px,0.4fr)',
    value: (r) => percentOf(r.coverage, 'kept'),
    cell: (r) => (
      <>
        <CoverageBar coverage={r.coverage} />
        <span className="block truncate text-[12px] text-second" title={coverageText(r.coverage)}>
          {shareText(r)}
        </span>
        {r.left.length > 0 && <span className="-mt-0.5 block truncate text-[12px] text-second">{leftText(r.left)}</span>}
      </>
    ),
  },
  { id: 'length', name: 'Length', width: '70px', right: true, value: lengthOf, cell: (r) => clock(lengthOf(r)) },
  {
    id: 'size',
    name: 'Size',
    width: '76px',
    right: true,
    value: (r) => r.disc.reading.sizeBytes,
    cell: (r) => bytes(r.disc.reading.sizeBytes),
  },
  ...(isWornKnown ? [WORN] : []),
  {
    id: 'read',
    name: 'Read',
    width: '108px',
    right: true,
    value: (r) => r.disc.readAt,
    cell: (r) => <span className="text-second">{day(r.disc.readAt)}</span>,
  },
];

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
  const isWornKnown = rows.some((r) => r.worn !== null);
  const columns = useMemo(() => columnsOf(chosen, onChoose, grouping, isWornKnown), [chosen, onChoose, grouping, isWornKnown]);
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
        keptAs="shelf sort"
        rowLabel={(r) => `${r.disc.name}, ${r.state}, ${discSentence(r.disc.reading, r.disc.findings)}`}
      />
    </>
  );
}
