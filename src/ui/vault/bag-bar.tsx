'use client';

import { useState } from 'react';
import type { BagState } from '@/contract';
import { call } from '@/store/api';
import { bytes, moment, plural } from '../format';
import { Bar, Button, StateText, type State } from '../parts/controls';

const MARK: Readonly<Record<BagState['state'], State>> = { making: 'running', done: 'kept', failed: 'damaged', stopped: 'none' };
const WORD: Readonly<Record<BagState['state'], string>> = {
  making: 'being made',
  done: 'made, and whole',
  failed: 'not made',
  stopped: 'stopped: nothing of it was kept',
};

function BagRow({ bag, onHide }: { bag: BagState; onHide: () => void }) {
  return (
    <li className="flex flex-wrap items-baseline gap-x-3">
      <StateText state={MARK[bag.state]}>{WORD[bag.state]}</StateText>
      <span className="font-serif text-[15px]">{bag.name}</span>
      {bag.state === 'making' && (
        <span className="w-40 self-center">
          <Bar label={`Bag ${bag.name}`} value={bag.totalBytes > 0 ? bag.doneBytes / bag.totalBytes : null} />
        </span>
      )}
      <span className="min-w-0 flex-1 truncate text-second">
        {bag.problem
          ? `${bag.problem.message} ${bag.problem.whatToDo}`
          : `${plural(bag.files, 'file')}, ${bytes(bag.totalBytes)}, in Bags, ${moment(bag.at)}`}
      </span>
      {bag.state === 'making' ? (
        <Button className="px-2 py-0.5" onClick={() => void call('stopBag', { id: bag.id })}>
          Stop
        </Button>
      ) : (
        <button type="button" className="text-second hover:text-ink" aria-label={`Hide the bag ${bag.name}`} onClick={onHide}>
          Hide
        </button>
      )}
    </li>
  );
}

/** Bags that are being made, and what became of the last ones. */
export function BagBar({ bags }: { bags: readonly BagState[] }) {
  const [hidden, setHidden] = useState<ReadonlySet<string>>(new Set());
  const shown = bags.filter((b) => !hidden.has(b.id)).slice(0, 4);
  if (shown.length === 0) return null;
  return (
    <ul aria-label="Bags" className="flex flex-col gap-1">
      {shown.map((bag) => (
        <BagRow
          key={bag.id}
          bag={bag}
          onHide={() => {
            setHidden(new Set([...hidden, bag.id]));
          }}
        />
      ))}
    </ul>
  );
}
