'use client';

import Link from 'next/link';
import { useEffect, useState } from 'react';
import type { StandingOutcome } from '@/contract';
import { lastOutcomes } from '@/store/standing';
import { moment, plural } from '../format';
import { Empty, StateText, type State } from '../parts/controls';
import { Modal } from '../parts/modal';

const MARK: Readonly<Record<StandingOutcome['result'], State>> = { queued: 'planned', 'wants eyes': 'eyes', known: 'kept' };

function told({ result, reels, detail }: StandingOutcome): string {
  if (result === 'queued') return plural(reels.length, 'reel');
  return detail;
}

/** What the order did with the last discs, each with the way to it. */
export function OutcomesDialog({ seq, onClose }: { seq: number; onClose: () => void }) {
  const [outcomes, setOutcomes] = useState<readonly StandingOutcome[] | null>(null);
  useEffect(() => {
    let isOpen = true;
    void lastOutcomes(seq)
      .then((found) => {
        if (isOpen) setOutcomes(found);
      })
      .catch(() => undefined); // the engine does not answer: the page says so
    return () => {
      isOpen = false;
    };
  }, [seq]);
  return (
    <Modal wide title="What became of the last discs" onClose={onClose}>
      {outcomes?.length === 0 && <Empty title="No disc has come yet" />}
      <ul aria-label="Outcomes">
        {(outcomes ?? []).map((o) => (
          <li
            key={o.seq}
            className="grid grid-cols-[92px_minmax(0,1fr)_112px_minmax(0,1.4fr)_92px] items-baseline gap-3 border-b border-faint py-1.5"
          >
            <span className="text-second tabular-nums">{moment(o.at)}</span>
            <span className="truncate font-serif text-[15px]">{o.name}</span>
            <StateText state={MARK[o.result]}>{o.result}</StateText>
            <span className="text-second">{told(o)}</span>
            {o.fingerprint === null ? (
              <span />
            ) : (
              <Link className="text-right text-accent hover:underline" href={`/bench/${o.fingerprint.slice(0, 16)}`}>
                To its Bench
              </Link>
            )}
          </li>
        ))}
      </ul>
    </Modal>
  );
}
