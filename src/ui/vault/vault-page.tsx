'use client';

import Link from 'next/link';
import { useMemo, useState } from 'react';
import { NO_FIXITY, type OrphanFilm, type StorageState, type UnreadSidecar } from '@/contract';
import { useEngine } from '@/store/engine';
import { useOutput, useVault } from '@/store/outputs';
import { ProblemNote } from '../parts/problem-note';
import { plural } from '../format';
import { Empty, Panel, StateText } from '../parts/controls';
import { STORAGE_IDENTITY } from '../words';
import { BagBar } from './bag-bar';
import { FileList } from './file-list';
import { FixityBar } from './fixity-bar';
import { OutputDetail } from './output-detail';
import { TrashLink } from './trash';

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

/** Films in the library that nothing tells the origin of. */
function Orphans({ films }: { films: readonly OrphanFilm[] }) {
  return (
    <details className="text-second">
      <summary className="w-fit">
        {plural(films.length, 'film')} in the library {films.length === 1 ? 'has' : 'have'} no sidecar: nothing is known of{' '}
        {films.length === 1 ? 'it' : 'them'}, and nothing was touched
      </summary>
      <ul className="max-h-32 overflow-y-auto pt-1 pl-5">
        {films.map((f) => (
          <li key={`${f.storageName} ${f.path}`}>
            <span className="text-ink">{f.path}</span> in {f.storageName}
          </li>
        ))}
        <li>Put their sidecars back beside them; or lay them among your images, where they can be read as sources.</li>
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

/** What has been made, read from the sidecars on library storage. */
export function VaultPage() {
  const { state } = useEngine();
  const vault = useVault();
  const outputs = vault?.entries ?? null;
  const [chosen, setChosen] = useState<string | null>(null);
  const [search, setSearch] = useState('');
  const current = outputs?.find((o) => o.id === chosen) ?? outputs?.[0];
  const { output, problem } = useOutput(current);
  const { last } = state?.fixity ?? NO_FIXITY;
  const differing = useMemo(() => new Map(last?.differing.map((c) => [c.id, c.result])), [last]);
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
      {vault && vault.orphans.length > 0 && <Orphans films={vault.orphans} />}
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
          <FileList
            entries={outputs}
            differing={differing}
            chosen={current?.id ?? null}
            search={search}
            onSearch={setSearch}
            onChoose={setChosen}
          />
          {output ? (
            <OutputDetail key={output.id} output={output} entries={outputs} />
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
