'use client';

import Link from 'next/link';
import { EVERY_DAYS, type FixityState } from '@/contract';
import { call } from '@/store/api';
import { dayTime, plural } from '../format';
import { Bar, Button, StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { CHECKED, CHECK_MARK } from '../words-checks';

const often = (days: number): string =>
  days === 0 ? 'only when asked' : days === 7 ? 'every week' : days === 365 ? 'every year' : `every ${days} days`;

function lastText({ last }: FixityState): string {
  if (!last) return 'The files have not been checked yet.';
  const away = last.skipped > 0 ? ` ${last.skipped} were away.` : '';
  const found = last.differing.length === 0 ? 'all still what they were' : `${last.same} still what they were`;
  return `Checked ${dayTime(last.at)}: ${plural(last.checked, 'file')}, ${found}.${away}`;
}

/** Whether all files are still what they were: looked at now, or by itself. @param onOpen leads to a file. */
export function FixityBar({ fixity, onOpen }: { fixity: FixityState; onOpen: (id: string) => void }) {
  const action = useAction();
  const { running, last, problem } = fixity;
  const differing = last?.differing ?? [];
  return (
    <div role="region" aria-label="Checks of the files" className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-3">
        {running ? (
          <>
            <span className="w-48">
              <Bar value={running.total > 0 ? running.done / running.total : null} label="Check of all files" />
            </span>
            <span className="min-w-0 truncate text-second">
              {running.done.toLocaleString('en-GB')} of {running.total.toLocaleString('en-GB')}, {running.path}
            </span>
            <Button className="px-2 py-0.5" onClick={() => void action.run(() => call('stopCheck'))}>
              Stop
            </Button>
          </>
        ) : (
          <>
            <StateText state={!last ? 'none' : differing.length > 0 ? 'damaged' : 'kept'}>
              <span className="text-ink">{lastText(fixity)}</span>
            </StateText>
            <Button className="px-2 py-0.5" busy={action.busy} onClick={() => void action.run(() => call('beginCheck'))}>
              Check all files
            </Button>
          </>
        )}
        <span className="flex-1" />
        <label className="flex items-center gap-2 text-second">
          checked
          <Select
            label="How often all files are checked"
            value={String(fixity.everyDays)}
            options={[...new Set([...EVERY_DAYS, fixity.everyDays])].map((days) => ({ value: String(days), name: often(days) }))}
            onChange={(days) => void action.run(() => call('scheduleChecks', { body: { everyDays: Number(days) } }))}
          />
        </label>
      </div>
      {!running && differing.length > 0 && (
        <ul className="max-h-24 overflow-y-auto">
          {differing.map((c) => (
            <li key={c.id} className="flex items-baseline gap-2">
              <StateText state={CHECK_MARK[c.result]}>{CHECKED[c.result]}</StateText>
              {c.of === 'image' ? (
                <Link href="/" className="truncate hover:underline">
                  {c.path}
                </Link>
              ) : (
                <button
                  type="button"
                  className="truncate hover:underline"
                  onClick={() => {
                    onOpen(c.id);
                  }}
                >
                  {c.path}
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {!running && differing.length > 0 && (
        <p className="text-second">
          Put these back from a copy that is whole, or make them again from their discs; then check once more. Nothing was touched.
        </p>
      )}
      {problem && !running && <ProblemNote problem={problem} />}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}
