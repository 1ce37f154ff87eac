'use client';

import Link from 'next/link';
import { useMemo } from 'react';
import { lastBatch, reportCsv, reportRows, type ReportRow } from '@/store/batch';
import { useEngine } from '@/store/engine';
import { dayTime, moment } from '../format';
import { Button, Empty, Panel, StateText, type State } from '../parts/controls';
import { saveText } from '../parts/save-file';
import { batchText } from './batch-text';

const MARK: Readonly<Record<ReportRow['kind'], State>> = {
  failed: 'damaged',
  withGaps: 'eyes',
  done: 'kept',
  open: 'none',
  cancelled: 'none',
};

/** What became of the last batch, job by job: to be looked at in the morning, printed, or kept as a file. */
export function ReportPage() {
  const { state } = useEngine();
  const batch = useMemo(() => (state ? lastBatch(state.jobs) : null), [state]);
  if (!state || !batch)
    return (
      <div className="flex h-full">
        <Empty title={state ? 'Nothing has been on the queue' : 'Looking for the engine…'}>
          <Link href="/queue" className="underline">
            To the queue
          </Link>
        </Empty>
      </div>
    );
  const rows = reportRows(batch);
  const cell = 'px-2 py-1.5 align-top';
  return (
    <div className="mx-auto flex h-full max-w-[1300px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-end justify-between gap-6">
        <div>
          <h1 className="font-serif text-[24px] leading-none font-medium">Report of the queue</h1>
          <p className="pt-1 text-second">
            {dayTime(batch.fromAt)} {batch.untilAt === null ? 'until now' : `to ${dayTime(batch.untilAt)}`} · {batchText(batch)}
          </p>
        </div>
        <span className="flex gap-2 print:hidden">
          <Button
            onClick={() => {
              window.print();
            }}
          >
            Print
          </Button>
          <Button
            tone="main"
            onClick={() => {
              saveText(`report of the queue ${batch.fromAt.slice(0, 10)}.csv`, reportCsv(rows), 'text/csv');
            }}
          >
            Save as a table
          </Button>
        </span>
      </div>
      <Panel label="Jobs of the batch" className="flex-1 print:overflow-visible">
        <div className="min-h-0 flex-1 overflow-y-auto print:overflow-visible">
          <table className="w-full">
            <thead>
              <tr className="border-b border-line text-left text-second">
                {['Job', 'Outcome', 'Disc', 'To', 'Begun', 'Ended'].map((name) => (
                  <th key={name} scope="col" className={`${cell} font-normal`}>
                    {name}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((row, i) => (
                <tr key={i} className="border-b border-faint last:border-0">
                  <th scope="row" className={`${cell} text-left font-serif text-[15px] font-medium`}>
                    {row.name}
                  </th>
                  <td className={cell}>
                    <StateText state={MARK[row.kind]}>{row.outcome}</StateText>
                    {row.problem && (
                      <p className="max-w-[420px] text-second">
                        {row.problem.message}. {row.problem.whatToDo}
                      </p>
                    )}
                  </td>
                  <td className={`${cell} text-second`}>{row.disc}</td>
                  <td className={`${cell} text-second`}>{row.storage}</td>
                  <td className={`${cell} whitespace-nowrap text-second`}>{row.startedAt ? moment(row.startedAt) : ''}</td>
                  <td className={`${cell} whitespace-nowrap text-second`}>{row.endedAt ? moment(row.endedAt) : ''}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </Panel>
    </div>
  );
}
