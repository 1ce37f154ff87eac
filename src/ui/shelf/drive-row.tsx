'use client';

import { Disc3 } from 'lucide-react';
import Link from 'next/link';
import dynamic from 'next/dynamic';
import { useState } from 'react';
import type { DriveState, ReadingTask, SourceRef, StorageState } from '@/contract';
import { call } from '@/store/api';
import { Button } from '../parts/controls';
import { Select } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { ReadingProgress, isUnderWay } from '../parts/reading-progress';
import { useAction } from '../parts/use-action';
import type { DiscRow } from './collection';
import { lastTask, startReading } from './readings';

const TakeImageDialog = dynamic(() => import('./take-image').then((m) => m.TakeImageDialog), { loading: () => null });

const STATE: Readonly<Record<DriveState['state'], string>> = {
  empty: 'empty',
  'spinning up': 'spinning up',
  ready: 'ready',
  reading: 'reading',
  away: 'not connected',
  refused: 'can not be read',
  busy: 'in use',
};

function DiscSelect({ drive, onInsert }: { drive: DriveState; onInsert: (disc: string) => void }) {
  return (
    <Select
      label={`Insert a disc into ${drive.name}`}
      value=""
      options={[
        { value: '', name: drive.disc ? 'Change disc' : 'Insert a disc' },
        ...drive.discs.map((d) => ({ value: d.id, name: d.label })),
      ]}
      onChange={(disc) => {
        if (disc !== '') onInsert(disc);
      }}
      className="max-w-[118px]"
    />
  );
}

/** What lies in a drive, once it has been recognised: the disc, and how far it is with it. */
function Recognised({ fingerprint, rows }: { fingerprint: string; rows: readonly DiscRow[] }) {
  const row = rows.find((r) => r.disc.fingerprint === fingerprint);
  if (!row) return null;
  return (
    <p className="mt-0.5 flex items-baseline gap-2">
      <Link className="truncate text-accent hover:underline" href={`/bench/${fingerprint.slice(0, 16)}`}>
        To its Bench
      </Link>
      <span className="text-second">{row.state}</span>
    </p>
  );
}

/** What a hand can do to a drive that reads. */
function PullOut({ drive }: { drive: DriveState }) {
  const action = useAction();
  return (
    <div className="mt-1.5">
      <Button
        tone="quiet"
        disabled={action.busy}
        title="In the middle of reading, as a hand or a power cut does it: a job waits until the disc is back"
        onClick={() => void action.run(() => call('pull', { id: drive.id }))}
      >
        Pull the disc out
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}

/** A drive: what lies in it, and what is being read of it. */
export function DriveRow({
  drive,
  tasks,
  storages,
  rows,
}: {
  drive: DriveState;
  tasks: readonly ReadingTask[];
  storages: readonly StorageState[];
  rows: readonly DiscRow[];
}) {
  const action = useAction();
  const [isAsked, setAsked] = useState(false);
  const ref: SourceRef = { kind: 'drive', drive: drive.id };
  const task = lastTask(tasks, ref);
  const reading = task && isUnderWay(task) ? task : null;
  // Laying a disc in starts its reading: that is what it was laid in for.
  const insert = (disc: string) =>
    void action.run(async () => {
      await call('insert', { id: drive.id, body: { disc } });
      await startReading(ref);
    });
  return (
    <li className="border-b border-faint px-3 py-2 last:border-0">
      <div className="flex items-center gap-2">
        <Disc3 size={15} aria-hidden className="text-second" />
        <span className="font-semibold">{drive.name}</span>
        <span className="truncate text-third">{drive.simulated ? 'simulated' : drive.device}</span>
        <span className="ml-auto shrink-0 text-second">{STATE[drive.state]}</span>
      </div>
      {drive.disc && <p className="mt-0.5 truncate font-serif text-[15px]">{drive.disc}</p>}
      {drive.disc && task?.state === 'done' && task.fingerprint && task.name.startsWith(drive.disc) && (
        <Recognised fingerprint={task.fingerprint} rows={rows} />
      )}
      {reading ? (
        <>
          <ReadingProgress task={reading} />
          {drive.simulated && <PullOut drive={drive} />}
        </>
      ) : drive.simulated && drive.disc && drive.state === 'reading' ? (
        <PullOut drive={drive} />
      ) : (
        <div className="mt-1.5 flex flex-wrap items-center gap-x-2 gap-y-1 empty:hidden">
          {drive.simulated && <DiscSelect drive={drive} onInsert={insert} />}
          {!drive.simulated && drive.tray && drive.state === 'empty' && (
            <Button tone="quiet" disabled={action.busy} onClick={() => void action.run(() => call('load', { id: drive.id }))}>
              Close the tray
            </Button>
          )}
          {drive.disc && (
            <Button onClick={() => void action.run(() => startReading(ref))} busy={action.busy}>
              Read
            </Button>
          )}
          {drive.disc && (
            <Button
              tone="quiet"
              disabled={drive.state !== 'ready'}
              onClick={() => {
                setAsked(true);
              }}
            >
              Image…
            </Button>
          )}
          {drive.disc && drive.tray && (
            <Button
              tone="quiet"
              onClick={() => void action.run(() => call('eject', { id: drive.id }))}
              disabled={action.busy || drive.state !== 'ready'}
            >
              Eject
            </Button>
          )}
        </div>
      )}
      {isAsked && drive.disc && (
        <TakeImageDialog
          disc={drive.disc}
          source={ref}
          storages={storages}
          onClose={() => {
            setAsked(false);
          }}
        />
      )}
      {drive.problem && (
        <div className="mt-2">
          <ProblemNote problem={drive.problem} />
        </div>
      )}
      {action.problem && (
        <div className="mt-2">
          <ProblemNote problem={action.problem} onClose={action.clear} />
        </div>
      )}
      {!reading && task?.state === 'failed' && task.problem && (
        <div className="mt-2">
          <ProblemNote problem={task.problem} />
        </div>
      )}
      {!reading && task?.state === 'cancelled' && <p className="mt-1 text-second">Reading was cancelled.</p>}
    </li>
  );
}
