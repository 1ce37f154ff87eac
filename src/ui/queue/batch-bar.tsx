'use client';

import Link from 'next/link';
import { useState } from 'react';
import type { Batch } from '@/store/batch';
import { moment } from '../format';
import { StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { TOLD, useTold, type Told } from '../parts/use-told';
import { batchText } from './batch-text';
import { AfterChoice } from './after-choice';

const NAMES: Readonly<Record<Told, string>> = {
  not: 'say nothing when it is over',
  quietly: 'tell me when it is over',
  'with a sound': 'tell me with a sound when it is over',
};

/** What has become of the jobs that are, or were, on the queue together; and whether one is told when all of it is over. */
export function BatchBar({ batch }: { batch: Batch }) {
  const [told, setTold] = useTold();
  const [isRefused, setRefused] = useState(false);
  const choose = (how: Told) => {
    setTold(how);
    if (how === 'not' || typeof Notification === 'undefined') return;
    void Notification.requestPermission().then((answer) => {
      setRefused(answer === 'denied');
    });
  };
  const eyes = batch.failed.length > 0 ? 'damaged' : batch.withGaps.length > 0 ? 'eyes' : batch.untilAt === null ? 'running' : 'kept';
  return (
    <div className="flex flex-wrap items-center gap-3">
      <StateText state={eyes}>
        <span className="text-ink">
          {batch.untilAt === null ? `Since ${moment(batch.fromAt)}` : `${moment(batch.fromAt)} to ${moment(batch.untilAt)}`},{' '}
          {batchText(batch)}
        </span>
      </StateText>
      <Link href="/queue/report" className="text-accent hover:underline">
        Report
      </Link>
      <span className="flex-1" />
      {isRefused && <span className="text-second">This browser lets no page tell anything outside of it: it is said on the page.</span>}
      <AfterChoice />
      <Select label="When it is over" value={told} options={TOLD.map((value) => ({ value, name: NAMES[value] }))} onChange={choose} />
    </div>
  );
}
