'use client';

import { ScanSearch } from 'lucide-react';
import Link from 'next/link';
import { estimateReel, neededBytes } from '@/core/reels';
import { sourceKey, type EngineState, type Problem, type SourceRef } from '@/contract';
import { call, problemOf } from '@/store/api';
import type { DiscRecord } from '@/store/db';
import type { Draft } from '@/store/draft';
import { useState } from 'react';
import { droppedFile, makeDropped, stopDropped, useDropped } from '@/store/dropped';
import { paceOf, secondsFor } from '@/store/history';
import { useOutputs } from '@/store/outputs';
import { submitReel } from '@/store/submit';
import { bytes, plural, timeLeft } from '../format';
import { Button, Key } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { ReadingProgress, isUnderWay } from '../shelf/trays';
import { STORAGE_IDENTITY } from '../words';
import { readableSources } from '@/store/sources';
import type { ReelPlace } from './use-bench';

/** Reads the whole source once, on request, to find what can not be read before a night is spent on it. */
function DamageCheck({ source, onProblem }: { source: SourceRef; onProblem: (problem: Problem | null) => void }) {
  const start = () => {
    onProblem(null);
    call('startReading', { body: { source, thorough: true } }).catch((error: unknown) => {
      onProblem(problemOf(error));
    });
  };
  return (
    <button
      type="button"
      aria-label="Check every sector for damage"
      title="Check every sector for damage"
      onClick={start}
      className="rounded-[5px] border border-line bg-card p-1 text-second hover:border-second hover:text-ink"
    >
      <ScanSearch size={15} aria-hidden />
    </button>
  );
}

/** The one main action of the Bench: what it will take, where it goes, and go. */
export function QueueBox({
  disc,
  draft,
  engine,
  places,
}: {
  disc: DiscRecord;
  draft: Draft;
  engine: EngineState | null;
  places: ReadonlyMap<string, ReelPlace>;
}) {
  const names = new Set([...places.values()].map((p) => p.path.split('/').at(-1)));
  const here = useDropped().filter((w) => names.has(w.name));
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [chosen, setChosen] = useState<string | null>(null);
  const sources = readableSources(disc, engine);
  const source: { ref: SourceRef; name: string } | undefined = sources.find((s) => sourceKey(s.ref) === chosen) ?? sources[0];
  const checking = source && engine?.readings.filter((t) => sourceKey(t.source) === sourceKey(source.ref) && isUnderWay(t)).at(-1);
  const storages = engine?.storages ?? [];
  const storage = storages.find((s) => s.id === draft.record?.storage) ?? storages[0];
  const waiting = (draft.record?.reels ?? []).filter((r) => r.jobId === null);
  /** Sound from files stands on the server: a browser that has only the image can not add it. */
  const masters = waiting.filter(({ reel }) => reel.recipes.includes('master') && !reel.addedAudio?.length);
  const nameOf = (id: string, name: string) => (places.get(id)?.path ?? name).split('/').at(-1) ?? name;
  const estimates = waiting.map(({ reel }) => ({ recipes: reel.recipes, ...estimateReel(disc.reading, reel) }));
  const needed = estimates.reduce((sum, e) => sum + neededBytes(e, e), 0);
  const seconds = secondsFor(estimates, paceOf(engine?.jobs ?? [], useOutputs() ?? []));
  const submit = async () => {
    if (!storage || !source) return;
    setBusy(true);
    setProblem(null);
    for (const { id, reel } of waiting) {
      try {
        const path = (places.get(id)?.path ?? reel.name).split('/');
        const jobId = await submitReel(disc, source.ref, reel, {
          storage: storage.id,
          folder: path.slice(0, -1).join('/'),
          fileName: path.at(-1) ?? reel.name,
        });
        draft.queued(id, jobId);
      } catch (error) {
        setProblem(problemOf(error)); // the others are still tried: one clash must not hold up the batch
      }
    }
    setBusy(false);
  };
  const ready = waiting.length > 0 && storage?.identity === 'known' && source !== undefined && !busy;
  return (
    <div className="flex w-[252px] shrink-0 flex-col justify-end gap-2 text-second">
      {problem && (
        <ProblemNote
          problem={problem}
          onClose={() => {
            setProblem(null);
          }}
        />
      )}
      <div className="grid grid-cols-[44px_minmax(0,1fr)_auto] items-center gap-x-2">
        <span>from</span>
        <select
          aria-label="Read from"
          value={source ? sourceKey(source.ref) : ''}
          onChange={(e) => {
            setChosen(e.target.value);
          }}
          className="min-w-0 rounded-[5px] border border-line bg-card px-1 py-0.5 text-ink"
        >
          {sources.length === 0 && <option value="">no source is there</option>}
          {sources.map((s) => (
            <option key={sourceKey(s.ref)} value={sourceKey(s.ref)}>
              {s.name}
            </option>
          ))}
        </select>
        {source && <DamageCheck source={source.ref} onProblem={setProblem} />}
      </div>
      {checking && <ReadingProgress task={checking} />}
      <label className="grid grid-cols-[44px_minmax(0,1fr)] items-center gap-x-2">
        <span>to</span>
        <select
          aria-label="Library storage"
          value={storage?.id ?? ''}
          onChange={(e) => {
            draft.setPlace({ storage: e.target.value });
          }}
          className="min-w-0 rounded-[5px] border border-line bg-card px-1 py-0.5 text-ink"
        >
          {storages.map((s) => (
            <option key={s.id} value={s.id}>
              {s.name}
              {s.identity === 'known' ? (s.freeBytes === null ? '' : `, ${bytes(s.freeBytes)} free`) : `, ${STORAGE_IDENTITY[s.identity]}`}
            </option>
          ))}
        </select>
      </label>
      <label className="grid grid-cols-[44px_minmax(0,1fr)] items-center gap-x-2">
        <span>folder</span>
        <input
          aria-label="Folder in the library"
          value={draft.record?.folder ?? ''}
          placeholder="the library itself"
          onChange={(e) => {
            draft.setPlace({ folder: e.target.value });
          }}
          className="min-w-0 rounded-[5px] border border-line bg-card px-1.5 py-0.5 text-ink placeholder:text-third"
        />
      </label>
      <p>
        {waiting.length === 0
          ? draft.record?.reels.length
            ? 'Everything planned is on the queue.'
            : 'Nothing is planned yet.'
          : `${plural(waiting.length, 'reel')}, about ${bytes(needed)}${seconds === null ? '' : ` and ${timeLeft(seconds)}`}`}
        {waiting.length > 0 && (
          <span
            className="block text-[12px]"
            title="Unfinished files stand in the storage itself and get their names when they are proven: nothing is copied"
          >
            No temporary space beside that.
          </span>
        )}
        {storage && storage.identity !== 'known' && (
          <span className="block text-eyes">
            {storage.identity === 'new' ? (
              <>
                Say first on the{' '}
                <Link href="/" className="underline">
                  Shelf
                </Link>{' '}
                that {storage.name} is the library.
              </>
            ) : (
              `${storage.name} is ${STORAGE_IDENTITY[storage.identity]}: mount it, or choose another.`
            )}
          </span>
        )}
        {storage?.freeBytes != null && storage.freeBytes < needed && (
          <span className="block text-eyes">
            More than {storage.name} has free: {bytes(storage.freeBytes)}.
          </span>
        )}
      </p>
      {droppedFile(disc.fingerprint) && (
        <div className="flex flex-col gap-1">
          <Button
            disabled={masters.length === 0 || here.some((w) => w.state !== 'done' && w.state !== 'failed')}
            title="Made in this browser from the image that was dropped, one after another; each is saved as a download once it is proven"
            onClick={() => {
              for (const { id, reel } of masters) makeDropped(disc.reading, reel, nameOf(id, reel.name));
            }}
          >
            {masters.length > 1 ? `Make the ${masters.length} masters here` : 'Make the master here'}
          </Button>
          {here.slice(-3).map((w) => (
            <span key={w.id} role="status" className={`flex items-baseline gap-2 ${w.state === 'failed' ? 'text-damaged' : ''}`}>
              <span className="min-w-0 flex-1">
                {here.length > 1 ? `${w.name}: ` : ''}
                {w.message ?? `${w.state}${w.total > 0 ? `, ${Math.floor((100 * w.done) / w.total)} %` : ''}`}
              </span>
              {w.state !== 'done' && w.state !== 'failed' && (
                <button
                  type="button"
                  className="underline"
                  onClick={() => {
                    stopDropped(w.id);
                  }}
                >
                  stop
                </button>
              )}
            </span>
          ))}
        </div>
      )}
      <Button
        tone="main"
        data-action="queue"
        disabled={!ready}
        onClick={() => void submit()}
        className="justify-between px-3 py-2.5 text-[14px]"
      >
        {busy ? 'Queueing…' : `Queue ${plural(waiting.length, 'reel')}`} <Key>Q</Key>
      </Button>
    </div>
  );
}
