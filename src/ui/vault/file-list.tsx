'use client';

import { useVirtualizer } from '@tanstack/react-virtual';
import { useMemo, useRef, useState, type KeyboardEvent } from 'react';
import type { CheckResult, VaultEntry } from '@/contract';
import { NARROWED, SORTED, filesOf, type Narrowed, type Sorted } from '@/store/vault-list';
import { bytes, clock, day } from '../format';
import { Panel, StateText } from '../parts/controls';
import { DiscPicture } from '../parts/disc-picture';
import { Select } from '../parts/fields';
import { useKept } from '../parts/use-kept';
import { CHECKED, CHECK_MARK } from '../words-checks';
import { proofState, proofWord } from '../words-proof';
import { resultName } from '../words-recipes';

const ROW_PX = 70;
const AHEAD = 10;
const NARROWED_NAMES: Readonly<Record<Narrowed, string>> = {
  all: 'all files',
  masters: 'masters',
  copies: 'copies',
  eyes: 'wants eyes',
};
const SORTED_NAMES: Readonly<Record<Sorted, string>> = {
  made: 'newest first',
  name: 'by name',
  disc: 'by disc',
  size: 'largest first',
};

/** What is said of a file in its row. */
function FileRow({ entry: o, found }: { entry: VaultEntry; found: CheckResult | null }) {
  return (
    <>
      <DiscPicture fingerprint={o.sidecar.disc.fingerprint} cover={null} />
      <span className="flex min-w-0 flex-1 flex-col">
        <span className="truncate font-serif text-[15px] font-medium">{o.sidecar.reel.name}</span>
        <span className="flex justify-between gap-2 text-second">
          <span className="truncate">{resultName(o.sidecar)}</span>
          <span className="whitespace-nowrap tabular-nums">
            {clock(o.sidecar.promise.durationMs)} · {bytes(o.sidecar.file.sizeBytes)}
          </span>
        </span>
        <span className="flex justify-between gap-2">
          <StateText state={o.presence !== 'present' ? 'damaged' : found ? CHECK_MARK[found] : proofState(o.sidecar)}>
            <span className="text-[12px]">{o.presence !== 'present' ? o.presence : found ? CHECKED[found] : proofWord(o.sidecar)}</span>
          </StateText>
          <span className="text-[12px] whitespace-nowrap text-third">{day(o.sidecar.madeAt)}</span>
        </span>
      </span>
    </>
  );
}

/** All files, of which only those in sight are drawn; found by words, narrowed down and sorted. Arrow keys go from one to the next. */
export function FileList({
  entries,
  differing,
  chosen,
  search,
  onSearch,
  onChoose,
}: {
  entries: readonly VaultEntry[];
  /** What the last check of all files found, of those that are not what they were. */
  differing: ReadonlyMap<string, CheckResult>;
  chosen: string | null;
  search: string;
  onSearch: (search: string) => void;
  onChoose: (id: string) => void;
}) {
  const [narrowed, setNarrowed] = useKept<Narrowed>('vault files', NARROWED, 'all');
  const [sorted, setSorted] = useKept<Sorted>('vault order', SORTED, 'made');
  const [storage, setStorage] = useState('');
  const storages = useMemo(() => [...new Map(entries.map((e) => [e.storage, e.storageName]))], [entries]);
  const shown = useMemo(
    () => filesOf(entries, { words: search, narrowed, storage, sorted }, differing),
    [entries, search, narrowed, storage, sorted, differing],
  );
  const scroller = useRef<HTMLDivElement>(null);
  // It draws itself anew on every scroll: there is nothing in it for the compiler to remember.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: shown.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    getItemKey: (i) => shown[i]?.id ?? i,
    overscan: AHEAD,
  });
  const step = (e: KeyboardEvent) => {
    if (e.key !== 'ArrowDown' && e.key !== 'ArrowUp') return;
    e.preventDefault();
    const at = shown.findIndex((o) => o.id === chosen);
    const next = Math.max(0, Math.min(shown.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1)));
    const entry = shown[next];
    if (!entry) return;
    virtual.scrollToIndex(next);
    onChoose(entry.id);
    requestAnimationFrame(() => scroller.current?.querySelector<HTMLElement>(`[data-index="${next}"] button`)?.focus());
  };
  const count = entries.length.toLocaleString('en-GB');
  const isNarrowed = shown.length < entries.length;
  return (
    <Panel
      label="Files"
      title={`${isNarrowed ? `${shown.length.toLocaleString('en-GB')} of ` : ''}${count} ${entries.length === 1 ? 'file' : 'files'}`}
      aside={
        <input
          type="search"
          aria-label="Search the vault"
          placeholder="Search"
          value={search}
          onChange={(e) => {
            onSearch(e.target.value);
          }}
          className="w-36 rounded-[6px] border border-line bg-paper px-2 py-0.5 placeholder:text-third"
        />
      }
    >
      <div className="flex flex-wrap gap-1.5 border-b border-faint px-3 py-1.5">
        <Select
          label="Which files"
          value={narrowed}
          options={NARROWED.map((value) => ({ value, name: NARROWED_NAMES[value] }))}
          onChange={setNarrowed}
        />
        <Select
          label="In which order"
          value={sorted}
          options={SORTED.map((value) => ({ value, name: SORTED_NAMES[value] }))}
          onChange={setSorted}
        />
        {storages.length > 1 && (
          <Select
            label="In which storage"
            value={storage}
            options={[{ value: '', name: 'any storage' }, ...storages.map(([value, name]) => ({ value, name }))]}
            onChange={setStorage}
            className="max-w-32"
          />
        )}
      </div>
      <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" tabIndex={-1} onKeyDown={step}>
        <ul className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map(({ key, index, start }) => {
            const o = shown[index];
            if (!o) return null;
            const isCurrent = o.id === chosen;
            return (
              <li
                key={key}
                data-index={index}
                aria-setsize={shown.length}
                aria-posinset={index + 1}
                className="absolute inset-x-0 top-0"
                style={{ height: ROW_PX, transform: `translateY(${start}px)` }}
              >
                <button
                  type="button"
                  aria-current={isCurrent}
                  onClick={() => {
                    onChoose(o.id);
                  }}
                  className={`flex size-full items-center gap-2.5 border-b border-faint px-3 text-left -outline-offset-2 ${isCurrent ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash/60'}`}
                >
                  <FileRow entry={o} found={differing.get(o.id) ?? null} />
                </button>
              </li>
            );
          })}
        </ul>
        {shown.length === 0 && (
          <p className="px-3 py-3 text-second">{search.trim() === '' ? 'No file is like that.' : `No file matches “${search}”.`}</p>
        )}
      </div>
    </Panel>
  );
}
