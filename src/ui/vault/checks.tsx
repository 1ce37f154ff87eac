'use client';

import { useQuery } from '@tanstack/react-query';
import type { Output } from '@/contract';
import { call } from '@/store/api';
import { useEngine } from '@/store/engine';
import { dayTime } from '../format';
import { CheckList } from '../parts/check-list';
import { StateText } from '../parts/controls';
import { CHECK_MARK } from '../words-checks';

import { Section } from './section';

/** A proof is of the day on which it was made: where a later check found something else, that is said before it. */
export function LastCheck({ output }: { output: Output }) {
  const { state } = useEngine();
  const found = state?.fixity.last?.differing.find((c) => c.id === output.id);
  if (!found || output.presence !== 'present' || found.result === 'sidecar changed') return null;
  return (
    <div className="px-4 py-2">
      <StateText state={CHECK_MARK[found.result]}>
        {found.result === 'unreadable'
          ? `On ${dayTime(found.at)} its storage could not read it.`
          : `On ${dayTime(found.at)} it was no longer what it was: what is said of its proof below was true when it was made.`}{' '}
        Put it back from a copy that is whole, or make it again; then check once more.
      </StateText>
    </div>
  );
}

/** What checks of a file have found over time. */
export function Checks({ output }: { output: Output }) {
  const { state } = useEngine();
  const { data } = useQuery({
    queryKey: ['checks', output.id, state?.fixity.last?.at, state?.fixity.running === null],
    queryFn: ({ signal }) => call('checks', { id: output.id, signal }),
  });
  if (!data || data.checks.length === 0) return null;
  return (
    <Section name="Checked since it was made">
      <CheckList checks={data.checks} />
    </Section>
  );
}
