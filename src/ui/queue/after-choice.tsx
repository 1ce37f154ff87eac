'use client';

import { useEffect, useState } from 'react';
import type { QueueSettings } from '@/contract';
import { setQueue } from '@/store/arrange';
import { useEngine } from '@/store/engine';
import { moment } from '../format';
import { Button, StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const NOTHING = 'nothing';
const EJECT = 'eject';

const keyOf = (after: QueueSettings['after']): string => (after.do === 'run' ? `run ${after.command}` : after.do);
const afterOf = (key: string): QueueSettings['after'] =>
  key === NOTHING || key === EJECT ? { do: key } : { do: 'run', command: key.slice('run '.length) };

/** Seconds until a moment, as they go by. */
function useSecondsTo(at: string | null): number | null {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    if (at === null) return;
    const timer = setInterval(() => {
      setNow(Date.now());
    }, 500);
    return () => {
      clearInterval(timer);
    };
  }, [at]);
  return at === null ? null : Math.max(0, Math.ceil((Date.parse(at) - now) / 1000));
}

/** What is done once when all jobs are over, what came of it the last time, and how it is called off in time. */
export function AfterChoice() {
  const { state } = useEngine();
  const action = useAction();
  const seconds = useSecondsTo(state?.after.dueAt ?? null);
  if (!state) return null;
  const { queue, commands, after } = state;
  const options = [
    { value: NOTHING, name: 'after the last job: nothing' },
    { value: EJECT, name: 'after the last job: open the trays' },
    ...commands.map(({ id, name }) => ({ value: `run ${id}`, name: `after the last job: “${name}”` })),
  ];
  const choose = (key: string) => void action.run(() => setQueue({ ...queue, after: afterOf(key) }));
  const chosen = options.find((o) => o.value === keyOf(queue.after));
  return (
    <span className="flex items-center gap-2">
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      {seconds !== null && (
        <>
          <StateText state="eyes">
            <span className="tabular-nums">
              {chosen?.name ?? ''} in {seconds} s
            </span>
          </StateText>
          <Button
            tone="main"
            onClick={() => {
              choose(NOTHING);
            }}
          >
            Don’t
          </Button>
        </>
      )}
      {seconds === null && after.last && queue.after.do === 'nothing' && (
        <span className={after.last.state === 'failed' ? 'text-eyes' : 'text-second'} title={after.last.said || undefined}>
          {after.last.what}: {after.last.state === 'failed' ? `failed. ${after.last.said.slice(0, 80)}` : after.last.state},{' '}
          {moment(after.last.at)}
        </span>
      )}
      {seconds === null && <Select label="After the queue" value={keyOf(queue.after)} options={options} onChange={choose} />}
    </span>
  );
}
