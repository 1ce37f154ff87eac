'use client';

import { Download, Upload } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useMemo, useRef, useState } from 'react';
import type { DiscImageState } from '@/contract';
import { catalogue, openedArchive } from '@/store/archive';
import { ImportError, exportCatalogue, planImport, type ImportPlan } from '@/store/exchange';
import { discState, type DiscState } from '@/store/disc-state';
import { useEngine } from '@/store/engine';
import { useDiscs, useDrafts, useKnownJobs } from '@/store/live';
import { useOutputs } from '@/store/outputs';
import { groupsOfShelf, isShown } from '@/store/shelf';
import { plural } from '../format';
import { Button, Empty, Panel, StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { FileButton } from '../parts/file-button';
import { useKeys } from '../parts/use-keys';
import { useKept } from '../parts/use-kept';
import { saveText } from '../parts/save-file';
import { Collection, STATE, type DiscRow, type Grouping } from './collection';
import { EarlierCatalogue } from './earlier-catalogue';
import { LibraryKnowsMore } from './library-knows-more';
import { Trays } from './trays';

// What is only there when asked for is loaded then: the first visit need not wait for it. Something must stand in its
// place meanwhile, or the whole page would be put away until it is there.
const BulkBar = dynamic(() => import('./bulk-bar').then((m) => m.BulkBar), { loading: () => null });
const ImportDialog = dynamic(() => import('./import-dialog').then((m) => m.ImportDialog), { loading: () => null });
const GROUPINGS: readonly Grouping[] = ['none', 'series', 'label', 'state'];
const STATES = Object.keys(STATE) as DiscState[];

const NO_IMAGES: readonly DiscImageState[] = [];

function useRows(): DiscRow[] | null {
  const { state } = useEngine();
  const discs = useDiscs();
  const drafts = useDrafts();
  const jobs = useKnownJobs();
  const outputs = useOutputs();
  const images = state?.images ?? NO_IMAGES;
  return useMemo(() => {
    if (!discs || !drafts || !jobs) return null;
    const draftOf = new Map(drafts.map((d) => [d.fingerprint, d]));
    return discs.map((disc) => {
      const draft = draftOf.get(disc.fingerprint);
      const cover = disc.tags.cover ?? draft?.reels.find((r) => r.reel.tags?.cover)?.reel.tags?.cover ?? null;
      const worn = images.find((i) => i.fingerprint === disc.fingerprint)?.worn ?? null;
      return { disc, cover, worn, ...discState(disc, draft, state?.jobs ?? jobs, outputs ?? []) };
    });
  }, [discs, drafts, jobs, outputs, state?.jobs, images]);
}

/** What the collection is narrowed down to; the state is remembered. */
function useFilter() {
  const [search, setSearch] = useState('');
  const [state, setState] = useKept<DiscState | ''>('shelf state', ['', ...STATES], '');
  const [group, setGroup] = useState('');
  return { search, setSearch, state, setState, group, setGroup };
}

/** What is shown of the collection, and the way out of it and in. */
function CollectionTools({
  filter,
  groups,
  grouping,
  onGrouping,
  onImport,
}: {
  filter: ReturnType<typeof useFilter>;
  groups: readonly { readonly value: string; readonly name: string }[];
  grouping: Grouping;
  onGrouping: (grouping: Grouping) => void;
  onImport: (file: File) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  useKeys({
    search: () => field.current?.focus(),
  });
  return (
    <div className="flex items-center gap-1.5">
      <input
        ref={field}
        type="search"
        aria-label="Search the collection"
        placeholder="Search  /"
        value={filter.search}
        onChange={(e) => {
          filter.setSearch(e.target.value);
        }}
        className="w-40 rounded-[6px] border border-line bg-paper px-2 py-0.5 placeholder:text-third"
      />
      <Select
        label="State of the discs"
        value={filter.state}
        options={[{ value: '', name: 'any state' }, ...STATES.map((s) => ({ value: s, name: s }))]}
        onChange={filter.setState}
      />
      {groups.length > 0 && (
        <Select
          label="Series or label"
          value={filter.group}
          options={[{ value: '', name: 'all discs' }, ...groups]}
          onChange={filter.setGroup}
          className="max-w-40"
        />
      )}
      <Select
        label="Headings"
        value={grouping}
        options={[
          { value: 'none', name: 'no headings' },
          { value: 'series', name: 'by series' },
          { value: 'label', name: 'by label' },
          { value: 'state', name: 'by state' },
        ]}
        onChange={onGrouping}
      />
      <Button
        tone="quiet"
        className="px-1.5"
        aria-label="Export the catalogue"
        title="Export the catalogue"
        onClick={() => {
          void exportCatalogue(catalogue(), openedArchive()?.archive ?? null).then((text) => {
            saveText(`catalogue ${new Date().toISOString().slice(0, 10)}.json`, text, 'application/json');
          });
        }}
      >
        <Download size={14} aria-hidden />
      </Button>
      <FileButton label="Import a catalogue" title="Import a catalogue" tone="quiet" accept=".json,application/json" onFile={onImport}>
        <Upload size={14} aria-hidden />
      </FileButton>
    </div>
  );
}

/** The collection, and where its discs come from. */
export function ShelfPage() {
  const { state } = useEngine();
  const rows = useRows();
  const known = useMemo(() => (rows ?? []).flatMap((r) => r.disc.sources.map((s) => s.ref)), [rows]);
  const filter = useFilter();
  const [grouping, setGrouping] = useKept<Grouping>('shelf grouping', GROUPINGS, 'none');
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [plan, setPlan] = useState<ImportPlan | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const groups = useMemo(() => groupsOfShelf(rows ?? []), [rows]);
  const { search, state: stateFilter, group } = filter;
  const shown = useMemo(
    () => (rows ?? []).filter((r) => isShown(r, { search, state: stateFilter, group })),
    [rows, search, stateFilter, group],
  );
  const bring = async (file: File) => {
    setWrong(null);
    try {
      setPlan(await planImport(catalogue(), openedArchive()?.archive.id ?? null, await file.text()));
    } catch (error) {
      if (!(error instanceof ImportError)) throw error;
      setWrong(`${file.name}: ${error.message}. Nothing was changed.`);
    }
  };
  return (
    <div className="mx-auto flex h-full max-w-[2200px] flex-col gap-3 px-5 pt-4 pb-5">
      <h1 className="font-serif text-[24px] leading-none font-medium">The shelf</h1>
      <div className="grid min-h-0 flex-1 grid-cols-[clamp(264px,27vw,340px)_minmax(0,1fr)] gap-4">
        {state ? (
          <Trays engine={state} knownSources={known} rows={rows ?? []} />
        ) : (
          <Panel>
            <Empty title="Looking for the engine…" />
          </Panel>
        )}
        <Panel
          label="Collection"
          title={rows ? `Collection, ${plural(rows.length, 'disc')}` : 'Collection'}
          aside={
            <CollectionTools
              filter={filter}
              groups={groups}
              grouping={grouping}
              onGrouping={setGrouping}
              onImport={(file) => void bring(file)}
            />
          }
        >
          {wrong && (
            <p role="alert" className="border-b border-faint px-3 py-1.5">
              <StateText state="eyes">{wrong}</StateText>
            </p>
          )}
          <EarlierCatalogue />
          <LibraryKnowsMore onPlan={setPlan} />
          {chosen.size > 0 && (
            <BulkBar
              rows={(rows ?? []).filter((r) => chosen.has(r.disc.fingerprint))}
              onDone={() => {
                setChosen(new Set());
              }}
            />
          )}
          {rows === null ? (
            <Empty title="Opening the catalogue…" />
          ) : rows.length === 0 ? (
            <Empty title="No disc has been read yet">
              Insert one into a tray, or read an image, on the left. It takes a few seconds and changes nothing on the disc.
            </Empty>
          ) : shown.length === 0 ? (
            <Empty title={search === '' ? 'No disc is like that' : `No disc matches “${search}”`} />
          ) : (
            <Collection rows={shown} chosen={chosen} grouping={grouping} onChoose={setChosen} />
          )}
        </Panel>
      </div>
      {plan && (
        <ImportDialog
          plan={plan}
          onClose={() => {
            setPlan(null);
          }}
        />
      )}
    </div>
  );
}
