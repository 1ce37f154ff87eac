'use client';

import Link from 'next/link';
import { useState } from 'react';
import { STAGES, type JobEvent, type JobState, type Stage } from '@/contract';
import { call } from '@/store/api';
import { useEngine } from '@/store/engine';
import { bytes, clock, dayTime, plural, timeLeft } from '../format';
import { Bar, Button, Empty, Panel, StateText, type State } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { JOB, RECIPE, STAGE } from '../words';

const MARK: Readonly<Record<JobState['state'], State>> = {
  waiting: 'planned',
  running: 'running',
  interrupted: 'eyes',
  done: 'kept',
  failed: 'damaged',
  cancelled: 'none',
};

const stagesOf = (job: JobState): Stage[] =>
  STAGES.filter((s) => s === 'placing' || (s.startsWith('master') ? job.recipes.includes('master') : job.recipes.includes('access')));

function amount(job: JobState): string {
  if (job.total === 0) return '';
  return job.unit === 'bytes' ? `${bytes(job.done)} of ${bytes(job.total)}` : `${clock(job.done)} of ${clock(job.total)}`;
}

function speed(job: JobState): string {
  if (job.rate === null || job.rate <= 0) return '';
  return job.unit === 'bytes' ? `${bytes(job.rate)}/s` : `${(job.rate / 1000).toFixed(1)} × playing time`;
}

function StageLine({ job }: { job: JobState }) {
  const stages = stagesOf(job);
  const at = job.stage ? stages.indexOf(job.stage) : -1;
  return (
    <ol className="flex gap-1.5" aria-label="Stages">
      {stages.map((stage, i) => {
        const now = i === at && job.state === 'running';
        const share = i < at || job.state === 'done' ? 1 : now && job.total > 0 ? job.done / job.total : 0;
        return (
          <li key={stage} aria-current={now ? 'step' : undefined} className="min-w-0 flex-1">
            <Bar
              value={share}
              label={STAGE[stage]}
              tone={job.state === 'failed' && i === at ? 'bg-damaged' : job.state === 'done' || i < at ? 'bg-kept' : 'bg-accent'}
            />
            <span className={`block truncate pt-0.5 text-[12px] ${now ? 'text-ink' : 'text-third'}`}>{STAGE[stage]}</span>
          </li>
        );
      })}
    </ol>
  );
}

function logLine(event: JobEvent): string {
  switch (event.type) {
    case 'started':
      return `runner ${String(event.pid)} started`;
    case 'stage':
      return STAGE[event.stage];
    case 'note':
      return event.text;
    case 'parted':
      return 'the disc is no longer needed; encoding waits for its turn';
    case 'finished':
      return `finished: ${event.files.join(', ')}`;
    case 'failed':
      return `failed: ${event.problem.message}`;
    case 'cancelled':
      return 'cancelled';
    case 'progress':
      return '';
  }
}

function Log({ job }: { job: JobState }) {
  const [events, setEvents] = useState<readonly JobEvent[] | null>(null);
  return (
    <details
      onToggle={(e) => {
        if (e.currentTarget.open)
          void call('jobLog', { id: job.id }).then(
            (r) => {
              setEvents(r.events);
            },
            () => {
              setEvents([]);
            },
          );
      }}
    >
      <summary className="w-fit text-second hover:text-ink">Log</summary>
      <ol className="mt-1 max-h-44 overflow-y-auto rounded-[5px] bg-paper px-2.5 py-1.5 text-[12px]">
        {events?.map((e) => (
          <li key={e.seq} className="grid grid-cols-[64px_minmax(0,1fr)]">
            <span className="text-third">{e.at.slice(11, 19)}</span>
            <span className="break-words">{logLine(e)}</span>
          </li>
        ))}
        {events?.length === 0 && <li>Nothing was written.</li>}
      </ol>
    </details>
  );
}

function JobRow({ job }: { job: JobState }) {
  const action = useAction();
  const over = job.state === 'done' || job.state === 'failed' || job.state === 'cancelled';
  const left = job.rate && job.total > job.done ? (job.total - job.done) / job.rate : null;
  return (
    <li aria-label={`Job ${job.name}`} className="flex flex-col gap-2 border-b border-faint px-4 py-3 last:border-0">
      <div className="flex items-baseline gap-3">
        <span className="min-w-0 truncate font-serif text-[17px] font-medium">{job.name}</span>
        <StateText state={MARK[job.state]}>{JOB[job.state]}</StateText>
        <span className="truncate text-second">
          {job.recipes.map((r) => RECIPE[r]).join(' and ')} · from{' '}
          <Link className="hover:underline" href={`/bench/${job.fingerprint.slice(0, 16)}`}>
            {job.disc}
          </Link>{' '}
          to {job.storage}
        </span>
        <span className="ml-auto flex shrink-0 gap-1.5">
          {!over && (
            <Button tone="danger" disabled={action.busy} onClick={() => void action.run(() => call('cancelJob', { id: job.id }))}>
              Cancel
            </Button>
          )}
          {(job.state === 'failed' || job.state === 'cancelled') && (
            <Button disabled={action.busy} onClick={() => void action.run(() => call('retryJob', { id: job.id }))}>
              Retry
            </Button>
          )}
          {job.state === 'done' && (
            <Link href="/vault" className="px-1.5 py-1 underline">
              See it in the vault
            </Link>
          )}
          {over && (
            <Button tone="quiet" disabled={action.busy} onClick={() => void action.run(() => call('forgetJob', { id: job.id }))}>
              Clear
            </Button>
          )}
        </span>
      </div>
      {job.state !== 'cancelled' && <StageLine job={job} />}
      <div className="grid grid-cols-[minmax(0,1.4fr)_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)] gap-3 text-second">
        <span>
          {job.state === 'running' && job.stage
            ? `${STAGE[job.stage]}${amount(job) ? `, ${amount(job)}` : ''}`
            : job.endedAt
              ? `ended ${dayTime(job.endedAt)}`
              : `queued ${dayTime(job.createdAt)}`}
        </span>
        <span>{job.state === 'running' ? speed(job) : ''}</span>
        <span>{job.state === 'running' && left !== null ? `about ${timeLeft(left)} left of this stage` : ''}</span>
        <span className="text-right">{job.attempts > 1 ? `attempt ${String(job.attempts)}` : ''}</span>
      </div>
      {job.problem && job.state === 'failed' && <ProblemNote problem={job.problem} />}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      <Log job={job} />
    </li>
  );
}

const ORDER: Readonly<Record<JobState['state'], number>> = { running: 0, interrupted: 1, waiting: 2, failed: 3, done: 4, cancelled: 5 };

/** What runs, what waits, what has ended. */
export function QueuePage() {
  const { state } = useEngine();
  const jobs = [...(state?.jobs ?? [])].sort(
    (a, b) =>
      ORDER[a.state] - ORDER[b.state] ||
      (ORDER[a.state] > 2 ? b.createdAt.localeCompare(a.createdAt) : a.createdAt.localeCompare(b.createdAt)),
  );
  const active = jobs.filter((j) => ORDER[j.state] <= 2);
  const ended = jobs.filter((j) => ORDER[j.state] > 2);
  return (
    <div className="mx-auto flex h-full max-w-[1500px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-baseline justify-between">
        <h1 className="font-serif text-[24px] leading-none font-medium">The queue</h1>
        <span className="text-second">
          {state?.storages.map((s) => `${s.name}: ${s.freeBytes === null ? 'not there' : `${bytes(s.freeBytes)} free`}`).join(' · ')}
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
          <>
            {active.length > 0 && (
              <Panel label="Running and waiting" title={`Running and waiting, ${plural(active.length, 'job')}`} className="shrink-0">
                <ul>
                  {active.map((j) => (
                    <JobRow key={j.id} job={j} />
                  ))}
                </ul>
              </Panel>
            )}
            {ended.length > 0 && (
              <Panel label="Ended" title={`Ended, ${plural(ended.length, 'job')}`} className="shrink-0">
                <ul>
                  {ended.map((j) => (
                    <JobRow key={j.id} job={j} />
                  ))}
                </ul>
              </Panel>
            )}
          </>
        )}
      </div>
    </div>
  );
}
