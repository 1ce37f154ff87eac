'use client';

import { useState } from 'react';
import { Button } from '../parts/controls';
import { Modal } from '../parts/modal';

const two = (n: number) => String(n).padStart(2, '0');
/** A moment as the field of a form has it: in this machine's own time, to the minute. */
const local = (at: Date) =>
  `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}T${two(at.getHours())}:${two(at.getMinutes())}`;

/** Tonight at ten, or tomorrow where that is past. */
function tonight(now = new Date()): Date {
  const at = new Date(now);
  at.setHours(22, 0, 0, 0);
  if (at <= now) at.setDate(at.getDate() + 1);
  return at;
}

/** When jobs are begun at the earliest. */
export function StartTime({
  what,
  startAt,
  onChoose,
  onClose,
}: {
  what: string;
  startAt: string | null;
  onChoose: (startAt: string | null) => void;
  onClose: () => void;
}) {
  const [text, setText] = useState(local(startAt === null ? tonight() : new Date(startAt)));
  const at = new Date(text);
  const isMoment = !Number.isNaN(at.getTime());
  const isPast = isMoment && at <= new Date();
  const choose = (to: string | null) => {
    onChoose(to);
    onClose();
  };
  return (
    <Modal
      title={`When ${what} begins`}
      onClose={onClose}
      footer={
        <>
          <Button
            onClick={() => {
              choose(null);
            }}
          >
            As soon as it can
          </Button>
          <Button
            tone="main"
            disabled={!isMoment || isPast}
            onClick={() => {
              choose(at.toISOString());
            }}
          >
            Begin then
          </Button>
        </>
      }
    >
      <label className="flex flex-wrap items-center gap-2">
        not before
        <input
          type="datetime-local"
          className="rounded-[5px] border border-line bg-card px-2 py-1"
          value={text}
          onChange={(e) => {
            setText(e.target.value);
          }}
        />
        {isPast && <span className="text-eyes">That is past.</span>}
      </label>
      <p className="pt-2 text-second">
        It keeps its place in the queue until then. The engine begins it: this page need not be open, the machine must be on.
      </p>
    </Modal>
  );
}
