'use client';

import { Disc3 } from 'lucide-react';
import type { DriveState, ReadingTask, SourceRef } from '@/contract';
import { call } from '@/store/api';
import { Button } from '../parts/controls';
import { Select } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { ReadingProgress, isUnderWay } from '../parts/reading-progress';
import { useAction } from '../parts/use-action';
import { lastTask, startReading } from './readings';

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
      className="max-w-56"
    />
  );
}

/** A drive: what lies in it, and what is being read of it. */
export function DriveRow({ drive, tasks }: { drive: DriveState; tasks: readonly ReadingTask[] }) {
  const action = useAction();
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
        {drive.simulated && <span className="text-third">simulated</span>}
        <span className="ml-auto text-second">{drive.state}</span>
      </div>
      {drive.disc && <p className="mt-0.5 truncate font-serif text-[15px]">{drive.disc}</p>}
      {reading ? (
        <ReadingProgress task={reading} />
      ) : (
        <div className="mt-1.5 flex items-center gap-2">
          <DiscSelect drive={drive} onInsert={insert} />
          {drive.disc && (
            <Button onClick={() => void action.run(() => startReading(ref))} busy={action.busy}>
              Read
            </Button>
          )}
          {drive.disc && (
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
