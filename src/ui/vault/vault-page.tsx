'use client';

import Link from 'next/link';
import { useState } from 'react';
import type { CheckResult, StorageState, UnreadSidecar, VaultEntry } from '@/contract';
import { useEngine } from '@/store/engine';
import { useOutput, useVault } from '@/store/outputs';
import { ProblemNote } from '../parts/problem-note';
import { bytes, clock, day, plural } from '../format';
import { Button, Empty, Panel, StateText } from '../parts/controls';
import { STORAGE_IDENTITY } from '../words';
import { resultName } from '../words-recipes';
import { proofState, proofWord } from '../words-proof';
import { BagBar } from './bag-bar';
import { CHECKED, CHECK_MARK } from '../words-checks';
import { FixityBar } from './fixity-bar';
import { OutputDetail } from './output-detail';
import { TrashLink } from './trash';

/** Files listed at first, and with each wish for more. */
const LISTED = 200;

/** Sidecars that can not be used: each is named with the reason, and none of them hides the others. */
function Unread({ sidecars }: { sidecars: readonly UnreadSidecar[] }) {
  return (
    <details className="text-second">
      <summary className="w-fit">
        <StateText state="eyes">
          {plural(sidecars.length, 'sidecar')} can not be read: {sidecars.length === 1 ? 'its film is' : 'their films are'} not listed, and
          not touched
        </StateText>
      </summary>
      <ul className="max-h-32 overflow-y-auto pt-1 pl-5">
        {sidecars.map((s) => (
          <li key={`${s.storageName} ${s.path}`}>
            <span className="text-ink">{s.path}</span> in {s.storageName}: {s.reason}. Put its sidecar back from a copy, or make the film
            again.
          </li>
        ))}
      </ul>
    </details>
  );
}

/** Libraries that are not there, or not the ones that they were. */
function AwayStorages({ storages }: { storages: readonly StorageState[] }) {
  const away = storages.filter((s) => s.identity !== 'known' && s.identity !== 'new');
  if (away.length === 0) return null;
  return (
    <StateText state="eyes">
      {away.map((s) => (
        <span key={s.id} className="block">
          {s.name} is {STORAGE_IDENTITY[s.identity]}:{' '}
          {s.identity === 'away' ? 'its files are not listed' : 'listed is what stands in its place now'}
        </span>
      ))}
    </StateText>
  );
}

function FileRow({
  entry: o,
  found,
  isCurrent,
  onChoose,
}: {
  entry: VaultEntry;
  /** What the last check of all files found, where it is not what it was. */
  found: CheckResult | null;
  isCurrent: boolean;
  onChoose: () => void;
}) {
  return (
    <li>
      <button
        type="button"
        aria-current={isCurrent}
        onClick={() => {
          onChoose();
        }}
        className={`flex w-full flex-col border-b border-faint px-3 py-2 text-left -outline-offset-2 ${isCurrent ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash/60'}`}
      >
        <span className="truncate font-serif text-[15px] font-medium">{o.sidecar.reel.name}</span>
        <span className="flex justify-between text-second">
          <span>{resultName(o.sidecar)}</span>
          <span>
            {clock(o.sidecar.promise.durationMs)} · {bytes(o.sidecar.file.sizeBytes)}
          </span>
        </span>
        <span className="flex justify-between">
          <StateText state={o.presence !== 'present' ? 'damaged' : found ? CHECK_MARK[found] : proofState(o.sidecar)}>
            <span className="text-[12px]">{o.presence !== 'present' ? o.presence : found ? CHECKED[found] : proofWord(o.sidecar)}</span>
          </StateText>
          <span className="text-[12px] text-third">{day(o.sidecar.madeAt)}</span>
        </span>
      </button>
    </li>
  );
}

/** What has been made, read from the sidecars on library storage. */
export function VaultPage() {
  const { state } = useEngine();
  const vault = useVault();
  const outputs = vault?.entries ?? null;
  const [chosen, setChosen] = useState<string | null>(null);
  const [search, setSearch] = useState('');
  const [most, setMost] = useState(LISTED);
  const wanted = search.trim().toLowerCase();
  const shown = (outputs ?? []).filter(
    (o) => wanted === '' || `${o.sidecar.reel.name} ${o.path} ${o.sidecar.disc.label}`.toLowerCase().includes(wanted),
  );
  const current = shown.find((o) => o.id === chosen) ?? shown[0];
  const { output, problem } = useOutput(current);
  const listed = shown.slice(0, most);
  const differing = new Map(state?.fixity.last?.differing.map((c) => [c.id, c.result]));
  return (
    <div className="mx-auto flex h-full max-w-[2200px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-baseline justify-between gap-6">
        <h1 className="font-serif text-[24px] leading-none font-medium">The vault</h1>
        <span className="flex items-baseline gap-6">
          {state && <TrashLink stamp={state.outputs} />}
          <AwayStorages storages={state?.storages ?? []} />
        </span>
      </div>
      {state && outputs && outputs.length > 0 && (
        <FixityBar
          fixity={state.fixity}
          onOpen={(id) => {
            setSearch('');
            setChosen(id);
          }}
        />
      )}
      {state && <BagBar bags={state.bags} />}
      {vault && vault.unread.length > 0 && <Unread sidecars={vault.unread} />}
      {outputs === null ? (
        <Panel className="flex-1">
          <Empty title={state ? 'Reading the sidecars…' : 'Looking for the engine…'} />
        </Panel>
      ) : outputs.length === 0 ? (
        <Panel className="flex-1">
          <Empty title="Nothing has been made yet">
            What the{' '}
            <Link href="/queue" className="underline">
              queue
            </Link>{' '}
            finishes and proves stands here, with its provenance.
          </Empty>
        </Panel>
      ) : (
        <div className="grid min-h-0 flex-1 grid-cols-[340px_minmax(0,1fr)] gap-4">
          <Panel
            label="Files"
            title={`${outputs.length} ${outputs.length === 1 ? 'file' : 'files'}`}
            aside={
              <input
                type="search"
                aria-label="Search the vault"
                placeholder="Search"
                value={search}
                onChange={(e) => {
                  setSearch(e.target.value);
                }}
                className="w-36 rounded-[6px] border border-line bg-paper px-2 py-0.5 placeholder:text-third"
              />
            }
          >
            <ul className="min-h-0 flex-1 overflow-y-auto">
              {listed.map((o) => (
                <FileRow
                  key={o.id}
                  entry={o}
                  found={differing.get(o.id) ?? null}
                  isCurrent={o.id === current?.id}
                  onChoose={() => {
                    setChosen(o.id);
                  }}
                />
              ))}
              {shown.length > listed.length && (
                <li className="px-3 py-2">
                  <Button
                    tone="quiet"
                    onClick={() => {
                      setMost(most + LISTED);
                    }}
                  >
                    Show more of {shown.length.toLocaleString('en-GB')}
                  </Button>
                </li>
              )}
              {shown.length === 0 && <li className="px-3 py-3 text-second">No file matches “{search}”.</li>}
            </ul>
          </Panel>
          {output ? (
            <OutputDetail key={output.id} output={output} />
          ) : current ? (
            <Panel>{problem ? <ProblemNote problem={problem} /> : <Empty title="Reading its sidecar…" />}</Panel>
          ) : (
            <Panel>
              <Empty title="No file is selected" />
            </Panel>
          )}
        </div>
      )}
    </div>
  );
}
