'use client';

import { useEffect, useState } from 'react';
import { catalogue, openedArchive } from '@/store/archive';
import { lookForCards, planFromCards, type LibraryKnows } from '@/store/cards';
import type { ImportPlan } from '@/store/exchange';
import { useDiscCount } from '@/store/live';
import { useOutputs } from '@/store/outputs';
import { plural } from '../format';
import { Button, StateText } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const MOST_NAMED = 4;

/** Discs that the library has files of, and this browser's catalogue does not: an empty one is filled again. */
export function LibraryKnowsMore({ onPlan }: { onPlan: (plan: ImportPlan) => void }) {
  const outputs = useOutputs();
  const count = useDiscCount();
  const [knows, setKnows] = useState<LibraryKnows | null>(null);
  const [isAside, setAside] = useState(false);
  const action = useAction();
  useEffect(() => {
    if (!outputs || count === null) return;
    let isOpen = true;
    void lookForCards(catalogue(), outputs).then(
      (found) => {
        if (isOpen) setKnows(found);
      },
      () => undefined, // asked again with the next change
    );
    return () => {
      isOpen = false;
    };
  }, [outputs, count]);
  if (!knows || isAside || (knows.cards.length === 0 && knows.nameless.length === 0)) return null;
  const { cards, nameless } = knows;
  const named = nameless.slice(0, MOST_NAMED).join(', ');
  return (
    <div role="status" className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-faint px-3 py-1.5">
      {cards.length > 0 && (
        <>
          <StateText state="planned">
            The library knows {plural(cards.length, 'disc')} that {cards.length === 1 ? 'is' : 'are'} not in this browser’s catalogue.
          </StateText>
          <Button
            tone="main"
            className="px-2 py-0.5"
            busy={action.busy}
            onClick={() =>
              void action.run(async () => {
                onPlan(await planFromCards(catalogue(), openedArchive()?.archive.id ?? null, knows));
              })
            }
          >
            Put {cards.length === 1 ? 'it' : 'them'} on the shelf…
          </Button>
        </>
      )}
      {nameless.length > 0 && (
        <span className="text-second" title={nameless.join('\n')}>
          {plural(nameless.length, 'disc')} with files in the vault {nameless.length === 1 ? 'has' : 'have'} no entry: read{' '}
          {nameless.length === 1 ? 'it' : 'them'} once more to have {nameless.length === 1 ? 'it' : 'them'} on the shelf ({named}
          {nameless.length > MOST_NAMED && ' …'})
        </span>
      )}
      <span className="flex-1" />
      <Button
        tone="quiet"
        className="px-2 py-0.5"
        onClick={() => {
          setAside(true);
        }}
      >
        Not now
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}
