'use client';

import { useEffect, useRef } from 'react';
import { useEngine } from '@/store/engine';
import { endingsBetween, type Ending } from '@/store/endings';
import { discNamed } from '@/store/live';
import { lastBatch } from '@/store/batch';
import { isOver, type EngineState } from '@/contract';
import { plural } from '../format';
import { batchText } from '../queue/batch-text';
import { tellOutside, useTold } from './use-told';
import { discSentence } from '../words';
import { toast, type ToastWish } from './toasts';

const hasOpen = ({ jobs }: EngineState) => jobs.some((j) => !isOver(j));

/** What ends together is told together. */
const GATHER_MS = 700;

async function wordsOf(ending: Ending): Promise<ToastWish> {
  switch (ending.kind) {
    case 'read': {
      const disc = await discNamed(ending.task.fingerprint ?? '');
      const what = disc ? ` ${discSentence(disc.reading, disc.findings)}` : '';
      return {
        text: `${disc?.name ?? ending.task.name} is read.${what}`,
        state: 'planned',
        to: { href: `/bench/${(ending.task.fingerprint ?? '').slice(0, 16)}`, name: 'Open' },
      };
    }
    case 'unread':
      return {
        text: `${ending.task.name} could not be read: ${ending.task.problem?.message ?? ''}`,
        state: 'damaged',
        to: { href: '/', name: 'Look' },
      };
    case 'made':
      return { text: `${ending.job.name} is in the vault, proven.`, state: 'kept', to: { href: '/vault', name: 'Look at it' } };
    case 'failed':
      return {
        text: `${ending.job.name} was not made: ${ending.job.problem?.message ?? ''}`,
        state: 'damaged',
        to: { href: '/queue', name: 'See why' },
      };
  }
}

const MANY: Readonly<Record<Ending['kind'], (count: number) => ToastWish>> = {
  read: (n) => ({ text: `${plural(n, 'disc')} are read.`, state: 'planned', to: { href: '/', name: 'See them' } }),
  unread: (n) => ({ text: `${plural(n, 'disc')} could not be read.`, state: 'damaged', to: { href: '/', name: 'Look' } }),
  made: (n) => ({
    text: `${plural(n, 'file')} more are in the vault, proven.`,
    state: 'kept',
    to: { href: '/vault', name: 'Look at them' },
  }),
  failed: (n) => ({ text: `${plural(n, 'job')} failed.`, state: 'damaged', to: { href: '/queue', name: 'See why' } }),
};

/** Only the latest is seen: what failed comes last, and several of a kind are told by their number. */
async function tell(endings: readonly Ending[]): Promise<void> {
  for (const kind of ['read', 'unread', 'made', 'failed'] as const) {
    const some = endings.filter((e) => e.kind === kind);
    const [only] = some;
    if (only) toast(some.length > 1 ? MANY[kind](some.length) : await wordsOf(only));
  }
}

/** Says what ends while one is somewhere else, and leads there. */
export function Background() {
  const { state } = useEngine();
  const [told] = useTold();
  const last = useRef(state);
  const gathered = useRef<Ending[]>([]);
  useEffect(() => {
    const before = last.current;
    const endings = endingsBetween(before, state);
    last.current = state;
    const batch = before && state && before.boot === state.boot && hasOpen(before) && !hasOpen(state) ? lastBatch(state.jobs) : null;
    if (batch) {
      // Last of all that is said: it stands for the rest.
      setTimeout(() => {
        toast({
          text: `The queue is done. ${batchText(batch)}`,
          state: batch.failed.length > 0 ? 'damaged' : 'kept',
          to: { href: '/queue/report', name: 'Report' },
        });
      }, GATHER_MS * 2);
      tellOutside(told, batchText(batch));
    }
    if (endings.length === 0) return;
    if (gathered.current.length === 0)
      setTimeout(() => {
        const all = gathered.current;
        gathered.current = [];
        void tell(all);
      }, GATHER_MS);
    gathered.current = [...gathered.current, ...endings];
  }, [state, told]);
  return null;
}
