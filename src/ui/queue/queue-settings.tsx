'use client';

import { useState } from 'react';
import { QUEUE_SETTINGS, type QueueSettings } from '@/contract';
import { setQueue } from '@/store/arrange';
import { useEngine } from '@/store/engine';
import { Button } from '../parts/controls';
import { Check, Select } from '../parts/fields';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const AS_SUITS = 'suits';
const LANES = [1, 2, 3, 4, 6, 8, 12, 16];

/** Whether anything new is begun, and how much of the machine the queue may have. What is set counts at once, and outlasts every restart. */
export function QueueSettingsBar() {
  const { state } = useEngine();
  const action = useAction();
  const [open, setOpen] = useState(false);
  if (!state) return null;
  const queue = state.queue;
  const change = (more: Partial<QueueSettings>) => void action.run(() => setQueue({ ...queue, ...more }));
  const isUsual = queue.encodeLanes === QUEUE_SETTINGS.encodeLanes && queue.background === QUEUE_SETTINGS.background;
  return (
    <span className="flex items-center gap-2">
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      <Button
        busy={action.busy}
        tone={queue.held ? 'main' : 'plain'}
        title={queue.held ? 'Jobs that wait are begun again' : 'What runs goes on to its end; nothing new is begun'}
        onClick={() => {
          change({ held: !queue.held });
        }}
      >
        {queue.held ? 'Begin new jobs again' : 'Begin no new jobs'}
      </Button>
      <Button
        tone={isUsual ? 'quiet' : 'plain'}
        onClick={() => {
          setOpen(true);
        }}
      >
        This machine…
      </Button>
      {open && (
        <Modal
          title="How much of this machine the queue may have"
          onClose={() => {
            setOpen(false);
          }}
        >
          <div className="flex flex-col gap-3">
            <label className="flex flex-wrap items-center gap-2">
              copies that are encoded at once
              <Select
                label="Copies at once"
                value={queue.encodeLanes === null ? AS_SUITS : String(queue.encodeLanes)}
                options={[{ value: AS_SUITS, name: 'as many as suit it' }, ...LANES.map((n) => ({ value: String(n), name: String(n) }))]}
                onChange={(value) => {
                  change({ encodeLanes: value === AS_SUITS ? null : Number(value) });
                }}
              />
            </label>
            <Check
              label="behind everything else that this machine does"
              checked={queue.background}
              onChange={(background) => {
                change({ background });
              }}
            />
            <p className="text-second">
              Behind everything else, jobs get what others leave of processor and disks; that counts for those that are begun from now on.
              Each drive reads one disc at a time in any case.
            </p>
          </div>
        </Modal>
      )}
    </span>
  );
}
