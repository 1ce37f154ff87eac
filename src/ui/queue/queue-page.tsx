'use client';

import Link from 'next/link';
import { useState } from 'react';
import type { JobState } from '@/contract';
import { useEngine } from '@/store/engine';
import { bytes, plural } from '../format';
import { Button, Empty, Panel } from '../parts/controls';
import { STORAGE_IDENTITY } from '../words';
import { JobRow } from './job-row';

const ORDER: Readonly<Record<JobState['state'], number>> = { running: 0, interrupted: 0, waiting: 1, failed: 2, done: 3, cancelled: 3 };
const oldestFirst = (a: JobState, b: JobState) => a.createdAt.localeCompare(b.createdAt);
const latestFirst = (a: JobState, b: JobState) => (b.endedAt ?? b.createdAt).localeCompare(a.endedAt ?? a.createdAt);

/** Jobs of a group that are listed at first, and with each wish for more. */
const LISTED = 100;

/** What runs, what waits, what has ended. */
export function QueuePage() {
  const { state } = useEngine();
  const [most, setMost] = useState(LISTED);
  const jobs = state?.jobs ?? [];
  const of = (rank: number) => jobs.filter((j) => ORDER[j.state] === rank);
  const groups = [
    { name: 'Running', jobs: of(0).sort(oldestFirst) },
    { name: 'Waiting', jobs: of(1).sort(oldestFirst) },
    { name: 'Failed', jobs: of(2).sort(latestFirst) },
    { name: 'Ended', jobs: of(3).sort(latestFirst) },
  ].filter((g) => g.jobs.length > 0);
  return (
    <div className="mx-auto flex h-full max-w-[1500px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-baseline justify-between gap-6">
        <h1 className="font-serif text-[24px] leading-none font-medium">The queue</h1>
        <span className="text-second">
          {state?.storages
            .map(
              (s) =>
                `${s.name}: ${s.identity !== 'known' ? STORAGE_IDENTITY[s.identity] : s.freeBytes === null ? 'there' : `${bytes(s.freeBytes)} free`}`,
            )
            .join(' · ')}
        </span>
      </div>
      <div className="flex min-h-0 flex-1 flex-col gap-4 overflow-y-auto">
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
          groups.map((g) => (
            <Panel key={g.name} label={g.name} title={`${g.name}, ${plural(g.jobs.length, 'job')}`} className="shrink-0">
              <ul>
                {g.jobs.slice(0, most).map((j) => (
                  <JobRow key={j.id} job={j} />
                ))}
              </ul>
              {g.jobs.length > most && (
                <Button
                  tone="quiet"
                  className="m-2 self-start"
                  onClick={() => {
                    setMost(most + LISTED);
                  }}
                >
                  Show more of {g.jobs.length.toLocaleString('en-GB')}
                </Button>
              )}
            </Panel>
          ))
        )}
      </div>
    </div>
  );
}
