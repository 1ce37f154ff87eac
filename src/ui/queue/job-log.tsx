'use client';

import dynamic from 'next/dynamic';
import { useState } from 'react';
import type { StageSpeeds } from '@/core/queue';
import type { JobEvent } from '@/contract';
import { call } from '@/store/api';
import { dayTime } from '../format';
import { STAGE } from '../words-queue';

const SpeedChart = dynamic(() => import('./speed-chart').then((m) => m.SpeedChart), { loading: () => <div className="h-[150px]" /> });

interface Log {
  readonly events: readonly JobEvent[];
  readonly speeds: readonly StageSpeeds[];
}

function lineOf(event: JobEvent): string {
  switch (event.type) {
    case 'started':
      return `runner ${event.pid} started`;
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
    case 'found':
      return `the disc is not whole in ${event.places.toLocaleString('en-GB')} ${event.places === 1 ? 'place' : 'places'}`;
    case 'retried':
      return event.around ? 'tried again, with what there is' : 'tried again';
    case 'changed':
      return `changed: ${event.recipes.map((r) => event.copies.find((c) => c.id === r)?.name ?? r).join(', ')}, to ${[event.storage, event.folder, event.fileName].filter(Boolean).join(' / ')}${event.again ? '; all of it is made again' : ''}`;
    case 'held':
      return `waits: ${event.problem.message}`;
    case 'cancel-asked':
      return 'to be cancelled';
    case 'interrupted':
      return 'the runner ended without a word; another goes on';
    case 'cancelled':
      return 'cancelled';
    case 'paused':
      return 'paused';
    case 'resumed':
      return 'goes on';
    case 'ranked':
      return 'moved in the queue';
    case 'timed':
      return event.startAt === null ? 'begins as soon as it can' : `begins ${dayTime(event.startAt)}`;
    case 'progress':
      return '';
  }
}

/** The plain log of a job, fetched when it is opened. */
export function JobLog({ id }: { id: string }) {
  const [log, setLog] = useState<Log | null>(null);
  const events = log?.events;
  const load = () =>
    void call('jobLog', { id }).then(
      (r) => {
        setLog(r);
      },
      () => {
        setLog({ events: [], speeds: [] });
      },
    );
  return (
    <details
      onToggle={(e) => {
        if (e.currentTarget.open) load();
      }}
    >
      <summary className="w-fit text-[12px] text-second hover:text-ink">Log</summary>
      <ol className="mt-1 max-h-44 overflow-y-auto rounded-[5px] bg-paper px-2.5 py-1.5 text-[12px]">
        {events?.map((e, i) => (
          <li key={i} className="grid grid-cols-[64px_minmax(0,1fr)]">
            <span className="text-third">{e.at.slice(11, 19)}</span>
            <span className="break-words">{lineOf(e)}</span>
          </li>
        ))}
        {events?.length === 0 && <li>Nothing was written.</li>}
      </ol>
      {log && log.speeds.length > 0 && <SpeedChart speeds={log.speeds} />}
    </details>
  );
}
