'use client';

import { useState } from 'react';
import type { EngineState, SourceRef } from '@/contract';
import { call } from '@/store/api';
import { plural } from '../format';
import { Bar, Button } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { isUnderWay } from '../parts/reading-progress';
import { useAction } from '../parts/use-action';

/** Reads all discs of a place that are not on the shelf yet, one after the other, in the background. */
export function ScanBar({ root, engine, known }: { root: EngineState['roots'][number]; engine: EngineState; known: readonly SourceRef[] }) {
  const action = useAction();
  const [none, setNone] = useState(false);
  const own = engine.readings.filter((t) => t.source.kind === 'place' && t.source.root === root.id);
  const open = own.filter(isUnderWay);
  const except = known.flatMap((ref) => (ref.kind === 'place' && ref.root === root.id ? [ref.path] : []));
  if (open.length > 1)
    return (
      <div className="border-b border-faint px-3 py-2">
        <div className="mb-1 flex items-center justify-between text-second">
          <span>{plural(open.length, 'disc')} to read</span>
          <Button
            tone="quiet"
            className="-my-1"
            busy={action.busy}
            onClick={() => void action.run(() => Promise.all([...open].reverse().map((task) => call('cancelReading', { id: task.id }))))}
          >
            Stop
          </Button>
        </div>
        <Bar value={(own.length - open.length) / own.length} label={`Reading all of ${root.name}`} />
      </div>
    );
  return (
    <div className="flex items-center gap-2 border-b border-faint px-3 py-1.5">
      <Button
        busy={action.busy}
        onClick={() =>
          void action.run(async () => {
            const { started } = await call('scan', { body: { root: root.id, except } });
            setNone(started === 0);
          })
        }
      >
        Read all that are new
      </Button>
      <span className="text-second">{none ? 'nothing new' : 'also in the folders below'}</span>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}
