'use client';

import { useMemo, useState } from 'react';
import type { Title } from '@/core/reading';
import type { DiscRecord } from '@/store/db';
import { bytes, clock, numbers } from '../../format';
import { DataTable, type Column } from '../../parts/data-table';
import { TextField } from '../../parts/fields';
import { roleOf } from '../../words';

interface Row {
  readonly title: Title;
  readonly role: string;
  readonly confidence: number;
  readonly shares: readonly number[];
  readonly taken: boolean;
}

const COLUMNS: readonly Column<Row>[] = [
  {
    id: 'number',
    name: 'Title',
    width: '72px',
    value: (r) => r.title.number,
    cell: (r) => <span className="font-serif text-[15px] font-semibold">{r.title.number}</span>,
  },
  { id: 'role', name: 'Is', width: 'minmax(120px,1.4fr)', value: (r) => r.role, cell: (r) => <span title={r.role}>{r.role}</span> },
  {
    id: 'sure',
    name: 'Sure',
    width: '62px',
    right: true,
    value: (r) => r.confidence,
    cell: (r) => `${Math.floor(r.confidence * 100)} %`,
  },
  {
    id: 'length',
    name: 'Length',
    width: '76px',
    right: true,
    value: (r) => r.title.durationMs,
    cell: (r) => clock(r.title.durationMs),
  },
  { id: 'size', name: 'Size', width: '84px', right: true, value: (r) => r.title.sizeBytes, cell: (r) => bytes(r.title.sizeBytes) },
  {
    id: 'chapters',
    name: 'Chapters',
    width: '78px',
    right: true,
    value: (r) => r.title.chapters.length,
    cell: (r) => r.title.chapters.length,
  },
  {
    id: 'tracks',
    name: 'Audio, sub.',
    width: '92px',
    right: true,
    value: (r) => r.title.audio.length,
    cell: (r) => `${r.title.audio.length}, ${r.title.subtitles.length}`,
  },
  {
    id: 'shares',
    name: 'Shares with',
    width: 'minmax(80px,1fr)',
    value: (r) => r.shares.length,
    cell: (r) => (r.shares.length > 12 ? `${r.shares.length} titles` : numbers(r.shares)),
  },
  { id: 'reel', name: 'Reel', width: '60px', value: (r) => (r.taken ? 0 : 1), cell: (r) => (r.taken ? 'yes' : '') },
];

/** The map's facts as a table: for sorting, for finding, and for whoever does not see the map. */
export function MapTable({
  disc,
  selected,
  onSelect,
  taken,
}: {
  disc: DiscRecord;
  selected: number | null;
  onSelect: (title: number) => void;
  taken: ReadonlySet<number>;
}) {
  const [filter, setFilter] = useState('');
  const rows = useMemo(() => {
    const found = new Map(disc.findings.titles.map((f) => [f.title, f]));
    const users = new Map<string, number[]>();
    for (const t of disc.reading.titles)
      for (const id of new Set(t.parts.map((p) => p.segment))) users.set(id, [...(users.get(id) ?? []), t.number]);
    return disc.reading.titles.map((title): Row => {
      const finding = found.get(title.number);
      const shares = new Set(title.parts.flatMap((p) => users.get(p.segment) ?? []));
      shares.delete(title.number);
      return {
        title,
        role: finding ? roleOf(finding) : '',
        confidence: finding?.confidence ?? 0,
        shares: [...shares],
        taken: taken.has(title.number),
      };
    });
  }, [disc.reading, disc.findings, taken]);
  const wanted = filter.trim().toLowerCase();
  const shown = useMemo(
    () =>
      wanted === ''
        ? rows
        : rows.filter((r) =>
            `title ${r.title.number} ${r.role} ${r.title.audio.map((a) => `${a.codec} ${a.language ?? ''}`).join(' ')}`
              .toLowerCase()
              .includes(wanted),
          ),
    [rows, wanted],
  );
  return (
    <>
      <div className="flex items-center gap-2 border-b border-faint px-3 py-1">
        <TextField
          label="Find titles"
          type="search"
          placeholder="find: a role, a number, a codec"
          value={filter}
          className="w-64"
          onChange={(e) => {
            setFilter(e.target.value);
          }}
        />
        <span className="text-second">{wanted === '' ? '' : `${shown.length} of ${rows.length}`}</span>
      </div>
      <DataTable
        label="Titles as a table"
        rows={shown}
        columns={COLUMNS}
        keyOf={(r) => String(r.title.number)}
        rowHeight={32}
        firstSort={{ id: 'number', desc: false }}
        selected={selected === null ? null : String(selected)}
        onSelect={(r) => {
          onSelect(r.title.number);
        }}
        rowLabel={(r) => `Title ${r.title.number}, ${clock(r.title.durationMs)}, ${r.role}`}
      />
    </>
  );
}
