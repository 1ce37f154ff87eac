'use client';

import { ScanSearch } from 'lucide-react';
import Link from 'next/link';
import { useState } from 'react';
import { estimateReel, expectedOf, folderOf, literalOf, neededAt, reelValues, roomAt } from '@/core/reels';
import { sourceKey, type Problem } from '@/contract';
import { call, problemOf } from '@/store/api';
import { secondsFor } from '@/store/history';
import { useNextDisc } from '@/store/live';
import { readableSources } from '@/store/sources';
import { destinationOf, storageOf, submitReel } from '@/store/submit';
import { bytes, plural, timeLeft } from '../../format';
import { Button, Key } from '../../parts/controls';
import { Select, TextField } from '../../parts/fields';
import { ProblemNote } from '../../parts/problem-note';
import { ReadingProgress, isUnderWay } from '../../parts/reading-progress';
import { toast } from '../../parts/toasts';
import { useAction } from '../../parts/use-action';
import { useKeys } from '../../parts/use-keys';
import { STORAGE_IDENTITY } from '../../words';
import { useBench } from '../bench-context';
import { MakeHere } from './make-here';

/** From where to where the planned reels go, and their way onto the queue. */
export function useQueueing() {
  const { disc, draft, rules, engine, reels } = useBench();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [wish, setWish] = useState<string | null>(null);
  const sources = readableSources(disc, engine);
  const source = sources.find((s) => sourceKey(s.ref) === wish) ?? sources[0] ?? null;
  const storages = engine?.storages ?? [];
  const storage = storageOf(draft.record, engine);
  const waiting = reels.filter((r) => r.jobId === null);
  const submit = async () => {
    const { record } = draft;
    if (!source || !storage || !record) return;
    setBusy(true);
    setProblem(null);
    let queued = 0;
    for (const { id, reel } of waiting) {
      try {
        const destination = destinationOf(disc, record, reel, rules, engine);
        if (destination) draft.queued(id, await submitReel(disc, source.ref, reel, destination));
        queued++;
      } catch (error) {
        setProblem(problemOf(error)); // the others are still tried: one clash must not hold up the batch
      }
    }
    setBusy(false);
    if (queued > 0)
      toast({ text: `${plural(queued, 'reel')} of ${disc.name} on the queue.`, state: 'running', to: { href: '/queue', name: 'Watch' } });
  };
  return {
    sources,
    source,
    setSource: setWish,
    storages,
    storage,
    waiting,
    busy,
    problem,
    setProblem,
    submit,
    ready: waiting.length > 0 && storage?.identity === 'known' && source !== null && !busy,
  };
}
type Queueing = ReturnType<typeof useQueueing>;

/** Reads the whole source once, on request, to find what can not be read before a night is spent on it. */
function DamageCheck({ queueing }: { queueing: Queueing }) {
  const action = useAction();
  const { engine } = useBench();
  const { source } = queueing;
  if (!source) return null;
  const checking = engine?.readings.filter((t) => sourceKey(t.source) === sourceKey(source.ref) && isUnderWay(t)).at(-1);
  if (checking)
    return (
      <span className="w-48">
        <ReadingProgress task={checking} />
      </span>
    );
  return (
    <>
      <Button
        aria-label="Check every sector for damage"
        title="Check every sector for damage"
        busy={action.busy}
        className="px-1 py-0.5"
        onClick={() => void action.run(() => call('startReading', { body: { source: source.ref, thorough: true } }))}
      >
        <ScanSearch size={15} aria-hidden />
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </>
  );
}

/** The folder that results go into: by the house rules, or as it is written here. */
function FolderField() {
  const { disc, draft, rules, reels, selected } = useBench();
  const folder = draft.record?.folder ?? [];
  const shown = selected ?? reels[0];
  const literal = literalOf(folder);
  return (
    <TextField
      label="Folder in the library"
      value={literal ?? ''}
      // Where the rules name it, it may be another for each reel: the one of the selected is shown.
      placeholder={literal === null && shown ? folderOf(folder, reelValues(disc.name, shown.reel)) : 'no folder in it'}
      title={literal === null ? 'By the house rules; what is written here goes before them' : 'Folder in the library'}
      className="w-36"
      onChange={(e) => {
        const { value } = e.target;
        draft.setPlace({ folder: value === '' ? rules.folder : [{ kind: 'text', text: value }] });
      }}
    />
  );
}

/** From where, to which library, into which folder. */
export function PlaceFields({ queueing }: { queueing: Queueing }) {
  const { draft } = useBench();
  const { sources, source, storages, storage } = queueing;
  return (
    <span className="ml-auto flex min-w-0 items-center gap-1.5 text-second">
      from
      <Select
        label="Read from"
        value={source ? sourceKey(source.ref) : ''}
        options={
          sources.length === 0
            ? [{ value: '', name: 'no source is there' }]
            : sources.map((s) => ({ value: sourceKey(s.ref), name: s.name }))
        }
        onChange={queueing.setSource}
        className="max-w-60 min-w-0"
      />
      <DamageCheck queueing={queueing} />
      to
      <Select
        label="Library storage"
        value={storage?.id ?? ''}
        options={storages.map((s) => ({
          value: s.id,
          name: `${s.name}${s.identity === 'known' ? (s.freeBytes === null ? '' : `, ${bytes(s.freeBytes)} free`) : `, ${STORAGE_IDENTITY[s.identity]}`}`,
        }))}
        onChange={(id) => {
          draft.setPlace({ storage: id });
        }}
        className="max-w-72 min-w-0"
      />
      <FolderField />
    </span>
  );
}

/** What is in the way of the library, where anything is. */
function StorageRemarks({ storage, needed, largest }: { storage: NonNullable<Queueing['storage']>; needed: number; largest: number }) {
  return (
    <>
      {storage.identity === 'new' && (
        <span className="block text-eyes">
          Say first on the{' '}
          <Link href="/" className="underline">
            Shelf
          </Link>{' '}
          that {storage.name} is the library.
        </span>
      )}
      {storage.identity !== 'new' && storage.identity !== 'known' && (
        <span className="block text-eyes">
          {storage.name} is {STORAGE_IDENTITY[storage.identity]}: mount it, or choose another.
        </span>
      )}
      {storage.largestFile !== null && largest > storage.largestFile && (
        <span className="block text-eyes">
          {storage.name} stands on {storage.fileSystem}, which holds files of up to {bytes(storage.largestFile)}; one of about{' '}
          {bytes(largest)} would be written.
        </span>
      )}
      {storage.freeBytes !== null && storage.freeBytes < needed && (
        <span className="block text-eyes">
          More than {storage.name} has free: {bytes(storage.freeBytes)}.
        </span>
      )}
    </>
  );
}

/** Where to go once all is on the queue. */
function WhatIsNext() {
  const { disc, engine, reels } = useBench();
  const next = useNextDisc(disc.fingerprint);
  const jobs = reels.map((r) => engine?.jobs.find((j) => j.id === r.jobId)?.state);
  const done = jobs.every((state) => state === 'done');
  return (
    <div className="flex flex-col gap-1.5">
      <Link href={done ? '/vault' : '/queue'} className="rounded-[6px] border border-line bg-card px-3 py-1.5 text-ink hover:border-second">
        {done ? 'All of it is in the Vault: look at it' : 'Watch it in the Queue'}
      </Link>
      {next && (
        <Link
          href={`/bench/${next.fingerprint.slice(0, 16)}`}
          className="truncate rounded-[6px] bg-accent px-3 py-2 text-[14px] font-semibold text-on-accent hover:brightness-110"
        >
          Next disc: {next.name}
        </Link>
      )}
    </div>
  );
}

/** The one main action of the Bench: what it will take, and go. */
export function QueueBox({ queueing }: { queueing: Queueing }) {
  const { disc, engine, reels, recipes, experience, rules } = useBench();
  const { waiting, source, storage, storages, busy, problem, ready, submit } = queueing;
  const estimates = waiting.map(({ reel }) => ({ recipes: reel.recipes, ...estimateReel(disc.reading, reel, recipes.byId, experience) }));
  const at = (id: string) => rules.places.find((p) => p.recipe === id)?.storage ?? storage?.id ?? '';
  const room = roomAt(estimates, at);
  const largest = (id: string) => Math.max(0, ...estimates.map((e) => neededAt(e, at).get(id)?.largest ?? 0));
  const all = [...room.values()];
  const kept = all.reduce((sum, r) => sum + r.kept, 0);
  const passing = all.reduce((sum, r) => sum + r.passing, 0);
  const ref = source?.ref;
  const seconds =
    engine &&
    secondsFor(
      waiting.map(({ reel }) => ({ recipes: reel.recipes, ...expectedOf(disc.reading, reel) })),
      ref?.kind === 'drive' ? `drive ${ref.drive}` : 'files',
      engine,
    );
  useKeys({ queue: ready ? () => void submit() : null });
  return (
    <div className="flex w-[252px] shrink-0 flex-col justify-end gap-2 text-second">
      {problem && (
        <ProblemNote
          problem={problem}
          onClose={() => {
            queueing.setProblem(null);
          }}
        />
      )}
      <p>
        {waiting.length > 0
          ? `${plural(waiting.length, 'reel')}, about ${bytes(kept)}${seconds === null ? '' : ` and ${timeLeft(seconds)}`}`
          : reels.length > 0
            ? 'Everything planned is on the queue.'
            : 'Nothing is planned yet.'}
        {waiting.length > 0 && (
          <span
            className="block text-[12px]"
            title="Unfinished files stand in the storage itself and get their names when they are proven. Copies are encoded from a master, in pieces: those that are not kept go when their reel is done."
          >
            {passing > 0 ? `${bytes(passing)} more in the storage meanwhile.` : 'No temporary space beside that.'}
          </span>
        )}
        {[...room].map(([id, { kept: stays, passing: meanwhile }]) => {
          const there = storages.find((s) => s.id === id);
          return there && <StorageRemarks key={id} storage={there} needed={stays + meanwhile} largest={largest(id)} />;
        })}
      </p>
      <MakeHere waiting={waiting} />
      {waiting.length === 0 && reels.length > 0 ? (
        <WhatIsNext />
      ) : (
        <Button tone="main" disabled={!ready} busy={busy} onClick={() => void submit()} className="justify-between px-3 py-2.5 text-[14px]">
          {busy ? 'Queueing…' : `Queue ${plural(waiting.length, 'reel')}`} <Key>Q</Key>
        </Button>
      )}
    </div>
  );
}
