'use client';

import { useState } from 'react';
import type { Arrange, JobState } from '@/contract';
import { arrange } from '@/store/arrange';
import { plural } from '../format';
import { Button } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { canTell, meantBy } from './queue-groups';
import { StartTime } from './start-time';

/** What can be decided about many jobs at once. @param first the one that is begun next. */
export function ArrangeBar({ jobs, first, onNone }: { jobs: readonly JobState[]; first: string | null; onNone: () => void }) {
  const action = useAction();
  const [isTimed, setTimed] = useState(false);
  const [sure, setSure] = useState(false);
  const [said, setSaid] = useState<string | null>(null);
  const can = canTell(jobs);
  const tell = (what: keyof typeof can, decision: Arrange['decision'], done: string) => {
    void action.run(async () => {
      const ids = meantBy(jobs, what);
      const { done: count, problem } = await arrange(ids, decision);
      setSaid(`${plural(count, 'job')} ${done}${problem ? `; ${ids.length - count} could not be: ${problem.message}` : ''}.`);
      if (what === 'forget') onNone();
    });
  };
  const button = (name: string, what: keyof typeof can, decision: Arrange['decision'], done: string) => (
    <Button
      disabled={!can[what] || action.busy}
      onClick={() => {
        tell(what, decision, done);
      }}
    >
      {name}
    </Button>
  );
  return (
    <div
      role="region"
      aria-label="What to do with the chosen jobs"
      className="flex flex-wrap items-center gap-2 border-b border-faint bg-wash px-3 py-1.5"
    >
      <span className="font-semibold">{plural(jobs.length, 'job')}</span>
      {button('Pause', 'pause', { do: 'pause' }, 'paused')}
      {button('Go on', 'resume', { do: 'resume' }, 'going on')}
      {button('To the front', 'order', { do: 'move', before: first }, 'put to the front')}
      {button('To the end', 'order', { do: 'move', before: null }, 'put to the end')}
      <Button
        disabled={!can.time || action.busy}
        onClick={() => {
          setTimed(true);
        }}
      >
        Begin at…
      </Button>
      {button('Retry', 'retry', { do: 'retry' }, 'on the queue again')}
      {button('Clear', 'forget', { do: 'forget' }, 'taken off the list')}
      <Button
        tone="danger"
        disabled={!can.cancel || action.busy}
        onClick={() => {
          if (sure) tell('cancel', { do: 'cancel' }, 'cancelled');
          setSure(!sure);
        }}
      >
        {sure ? `Really cancel ${meantBy(jobs, 'cancel').length}` : 'Cancel'}
      </Button>
      <Button tone="quiet" onClick={onNone}>
        Choose none
      </Button>
      {said && (
        <span role="status" className="text-second">
          {said}
        </span>
      )}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      {isTimed && (
        <StartTime
          what={plural(meantBy(jobs, 'time').length, 'job')}
          startAt={null}
          onChoose={(startAt) => {
            tell('time', { do: 'time', startAt }, startAt === null ? 'begin as soon as they can' : 'wait for their time');
          }}
          onClose={() => {
            setTimed(false);
          }}
        />
      )}
    </div>
  );
}
