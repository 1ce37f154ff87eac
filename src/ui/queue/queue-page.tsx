'use client';

import Link from 'next/link';
import { useCallback, useMemo, useRef, useState } from 'react';
import { byRank, type JobState } from '@/contract';
import { arrange } from '@/store/arrange';
import { lastBatch } from '@/store/batch';
import { useEngine } from '@/store/engine';
import { forecastOf } from '@/store/history';
import { bytes } from '../format';
import { Button, Empty, Panel } from '../parts/controls';
import { TextField } from '../parts/fields';
import { toast } from '../parts/toasts';
import { STORAGE_IDENTITY } from '../words';
import { ArrangeBar } from './arrange-bar';
import { BatchBar } from './batch-bar';
import { JobList } from './job-list';
import { JobRow } from './job-row';
import { GROUPS, groupOf, queueGroups, type GroupName } from './queue-groups';
import { QueueSettingsBar } from './queue-settings';
import { queueTimeText } from './time-text';

const NO_JOBS: readonly JobState[] = [];

/** What runs, what waits, what has ended. */
export function QueuePage() {
  const { state } = useEngine();
  const jobs = state?.jobs ?? NO_JOBS;
  const [only, setOnly] = useState<GroupName | null>(null);
  const [words, setWords] = useState('');
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const groups = useMemo(() => queueGroups(jobs, only, words), [jobs, only, words]);
  const counts = useMemo(() => Map.groupBy(jobs, groupOf), [jobs]);
  const listed = useMemo(() => groups.flatMap((g) => g.jobs), [groups]);
  const marked = useMemo(() => listed.filter((j) => chosen.has(j.id)), [listed, chosen]);
  const first = useMemo(() => [...(counts.get('Waiting') ?? [])].sort(byRank)[0]?.id ?? null, [counts]);
  const batch = useMemo(() => lastBatch(jobs), [jobs]);
  const last = useRef<string | null>(null);
  /** With shift, all from the last one on. */
  const choose = (id: string, on: boolean, isRange: boolean) => {
    const next = new Set(chosen);
    const [a, b] = [listed.findIndex((j) => j.id === last.current), listed.findIndex((j) => j.id === id)];
    const range = isRange && a >= 0 && b >= 0 ? listed.slice(Math.min(a, b), Math.max(a, b) + 1).map((j) => j.id) : [id];
    for (const of of range)
      if (on) next.add(of);
      else next.delete(of);
    last.current = id;
    setChosen(next);
  };
  const move = useCallback((job: JobState, before: string | null) => {
    arrange([job.id], { do: 'move', before }).then(
      ({ problem }) => {
        if (problem) toast({ text: problem.message, state: 'eyes' });
      },
      (error: unknown) => {
        toast({ text: error instanceof Error ? error.message : String(error), state: 'eyes' });
      },
    );
  }, []);
  const time = state && batch?.untilAt === null ? forecastOf(state) : null;
  const left = time && queueTimeText(time);
  return (
    <div className="mx-auto flex h-full max-w-[1500px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-end justify-between gap-6">
        <div>
          <h1 className="font-serif text-[24px] leading-none font-medium">The queue</h1>
          <p className="pt-1 text-second">
            {state?.queue.held ? 'Nothing new is begun. ' : ''}
            {left && <span className="text-ink">{left} </span>}
            {state?.storages
              .map(
                (s) =>
                  `${s.name}: ${s.identity !== 'known' ? STORAGE_IDENTITY[s.identity] : s.freeBytes === null ? 'there' : `${bytes(s.freeBytes)} free`}`,
              )
              .join(' · ')}
          </p>
        </div>
        <QueueSettingsBar />
      </div>
      {batch && <BatchBar batch={batch} />}
      {state === null ? (
        <Panel className="flex-1">
          <Empty title="Looking for the engine…" />
        </Panel>
      ) : jobs.length === 0 ? (
        <Panel className="flex-1">
          <Empty title="Nothing is running and nothing waits">
            Open a disc from{' '}
            <Link href="/" className="underline">
              the shelf
            </Link>
            , look at the reels it proposes, and queue them.
          </Empty>
        </Panel>
      ) : (
        <Panel label="Queue" className="flex-1">
          <div className="flex flex-wrap items-center gap-1.5 border-b border-faint px-3 py-1.5">
            {[null, ...GROUPS].map((name) => {
              const count = name === null ? jobs.length : (counts.get(name)?.length ?? 0);
              return (
                <Button
                  key={name ?? 'all'}
                  tone={only === name ? 'plain' : 'quiet'}
                  aria-pressed={only === name}
                  disabled={count === 0 && only !== name}
                  onClick={() => {
                    setOnly(name);
                  }}
                >
                  {name ?? 'All'} <span className="text-second">{count.toLocaleString('en-GB')}</span>
                </Button>
              );
            })}
            <span className="flex-1" />
            <TextField
              label="Jobs with these words"
              type="search"
              placeholder="name, disc, storage"
              className="w-52"
              value={words}
              onChange={(e) => {
                setWords(e.target.value);
              }}
            />
            <Button
              tone="quiet"
              disabled={listed.length === 0}
              onClick={() => {
                setChosen(marked.length === listed.length ? new Set() : new Set(listed.map((j) => j.id)));
              }}
            >
              {marked.length > 0 && marked.length === listed.length ? 'Choose none' : 'Choose all of these'}
            </Button>
          </div>
          {marked.length > 0 && (
            <ArrangeBar
              jobs={marked}
              first={first}
              onNone={() => {
                setChosen(new Set());
              }}
            />
          )}
          {listed.length === 0 ? (
            <Empty title="No job is like that">Other words, or all of them, show more.</Empty>
          ) : (
            <JobList
              groups={groups}
              onMove={move}
              row={(job, handle) => (
                <JobRow
                  job={job}
                  ends={time?.ends.get(job.id) ?? null}
                  handle={handle}
                  first={first}
                  chosen={chosen.has(job.id)}
                  onChoose={choose}
                  onMove={move}
                />
              )}
            />
          )}
        </Panel>
      )}
    </div>
  );
}
