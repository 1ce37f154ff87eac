'use client';

import Link from 'next/link';
import { useState, type ReactNode } from 'react';
import { MASTER, SHIPPED } from '@/core/recipes';
import { STAGES, isChangeable, isOver, type JobState, type Stage } from '@/contract';
import { arrange } from '@/store/arrange';
import { ApiError, call } from '@/store/api';
import { useKeptOrder } from '@/store/live';
import { sendAgain } from '@/store/repair';
import { bytes, clock, list, moment, timeLeft } from '../format';
import { Bar, Button, StateText, type State } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { JOB, STAGE } from '../words-queue';
import { recipeName } from '../words-recipes';
import { JobLog } from './job-log';
import { JobMenu } from './job-menu';
import { canTell } from './queue-groups';
import { RetryChanged } from './retry-changed';
import { StartTime } from './start-time';

const MARK: Readonly<Record<JobState['state'], State>> = {
  waiting: 'planned',
  running: 'running',
  interrupted: 'eyes',
  done: 'kept',
  failed: 'damaged',
  cancelled: 'none',
};

const stagesOf = (job: JobState): Stage[] =>
  STAGES.filter((s) => s === 'placing' || s.startsWith('master') || job.recipes.some((r) => r !== MASTER));

/** Names of its copies' recipes, as they were when it was sent; of earlier jobs those that are shipped. */
const namesIn = ({ copies }: JobState): ReadonlyMap<string, { readonly name: string }> =>
  new Map([...SHIPPED, ...copies].map((r) => [r.id, r]));

/** A stage in words; with several copies it is said which. */
function stageText(job: JobState, stage: Stage): string {
  const copies = job.recipes.filter((r) => r !== MASTER);
  if (job.copy === null || copies.length < 2) return STAGE[stage];
  const { copy } = job;
  return `${STAGE[stage]} “${recipeName(copy, namesIn(job))}”, ${copies.indexOf(copy) + 1} of ${copies.length}`;
}

function amount(job: JobState): string {
  if (job.total === 0) return '';
  return job.unit === 'bytes' ? `${bytes(job.done)} of ${bytes(job.total)}` : `${clock(job.done)} of ${clock(job.total)}`;
}

function speed(job: JobState): string {
  if (job.rate === null || job.rate <= 0) return '';
  return job.unit === 'bytes' ? `${bytes(job.rate)}/s` : `${(job.rate / 1000).toFixed(1)} × playing time`;
}

/** One bar per stage: what is done, what runs, what is to come. */
function StageLine({ job }: { job: JobState }) {
  const stages = stagesOf(job);
  const at = job.stage ? stages.indexOf(job.stage) : -1;
  return (
    <ol className="flex gap-1.5" aria-label="Stages">
      {stages.map((stage, i) => {
        const now = i === at && job.state === 'running';
        const share = i < at || (i === at && job.state === 'failed') ? 1 : now && job.total > 0 ? job.done / job.total : 0;
        const tone = job.state === 'failed' && i === at ? 'bg-damaged' : i < at ? 'bg-kept' : 'bg-accent';
        return (
          <li key={stage} aria-current={now ? 'step' : undefined} className="min-w-0 flex-1">
            <Bar value={share} label={STAGE[stage]} tone={tone} />
            <span className={`block truncate pt-0.5 text-[12px] ${now ? 'text-ink' : 'text-third'}`}>{STAGE[stage]}</span>
          </li>
        );
      })}
    </ol>
  );
}

/** Its state in a word or two. */
function stateText(job: JobState): string {
  if (job.paused) return job.state === 'waiting' ? 'on hold' : 'paused';
  if (job.state === 'waiting' && job.startAt !== null) return `begins ${moment(job.startAt)}`;
  return JOB[job.state];
}

/** What is said beside a job that does not run. */
function standing(job: JobState): string {
  if (job.state === 'waiting' && job.startAt !== null) return `begins ${moment(job.startAt)}`;
  if (job.state === 'waiting') return job.stage === 'access' ? 'master proven, waits for an encoder' : `queued ${moment(job.createdAt)}`;
  return job.endedAt ? `ended ${moment(job.endedAt)}` : '';
}

/** Failures after which what there is of the disc can be taken all the same. */
const canGoAround = (job: JobState) =>
  job.problem?.code === 'not-whole' || job.problem?.code === 'read-failed' || job.problem?.code === 'ended-early';

function Actions({ job, first, onMove }: Pick<RowProps, 'job' | 'first' | 'onMove'>) {
  const action = useAction();
  const [isTimed, setTimed] = useState(false);
  const [isChanging, setChanging] = useState(false);
  const can = canTell([job]);
  const tell = (decision: Parameters<typeof arrange>[1]) => () =>
    void action.run(async () => {
      const { problem } = await arrange([job.id], decision);
      if (problem) throw new ApiError(problem);
    });
  const over = isOver(job);
  const run = (name: 'cancelJob' | 'retryJob' | 'goAroundJob' | 'forgetJob') => () => void action.run(() => call(name, { id: job.id }));
  return (
    <span className="flex shrink-0 items-center justify-end gap-1.5">
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      {(can.pause || can.resume) && (
        <Button
          disabled={action.busy}
          title={job.state === 'waiting' ? 'Whether it is begun when its turn comes' : 'It stands still as it is, and loses nothing'}
          onClick={tell({ do: can.resume ? 'resume' : 'pause' })}
        >
          {can.resume ? 'Go on' : job.state === 'waiting' ? 'Hold' : 'Pause'}
        </Button>
      )}
      {!over && (
        <Button tone="danger" disabled={action.busy} onClick={run('cancelJob')}>
          Cancel
        </Button>
      )}
      {job.state === 'done' && (
        <Link href="/vault" className="px-1.5 underline">
          See it in the vault
        </Link>
      )}
      {job.state === 'failed' && canGoAround(job) && (
        <Button
          disabled={action.busy}
          onClick={run('goAroundJob')}
          title="Gaps stay as long as they are, sound stays in step, and every place is named in the vault"
        >
          Take what is there
        </Button>
      )}
      {job.problem?.code === 'order-lost' && <SendAgain job={job} />}
      {isChangeable(job) && job.problem?.code !== 'order-lost' && job.problem?.code !== 'too-new' && (
        <>
          <Button
            tone="quiet"
            disabled={action.busy}
            title="To another storage, under another name, or by other recipes"
            onClick={() => {
              setChanging(true);
            }}
          >
            {over ? 'Retry with changes…' : 'Change it…'}
          </Button>
          {over && (
            <Button disabled={action.busy} onClick={run('retryJob')}>
              Retry
            </Button>
          )}
        </>
      )}
      {over && (
        <Button tone="quiet" disabled={action.busy} onClick={run('forgetJob')}>
          Clear
        </Button>
      )}
      {job.state === 'waiting' && (
        <JobMenu
          job={job}
          onFirst={() => {
            onMove(job, first);
          }}
          onLast={() => {
            onMove(job, null);
          }}
          onTime={() => {
            setTimed(true);
          }}
        />
      )}
      {isChanging && (
        <RetryChanged
          job={job}
          onClose={() => {
            setChanging(false);
          }}
        />
      )}
      {isTimed && (
        <StartTime
          what={`“${job.name}”`}
          startAt={job.startAt}
          onChoose={(startAt) => {
            tell({ do: 'time', startAt })();
          }}
          onClose={() => {
            setTimed(false);
          }}
        />
      )}
    </span>
  );
}

/** Of a job whose order is lost, this browser may still have the reel that it was made of. */
function SendAgain({ job }: { job: JobState }) {
  const action = useAction();
  const order = useKeptOrder(job.id);
  if (!order) return null;
  return (
    <>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      <Button
        tone="main"
        disabled={action.busy}
        onClick={() => void action.run(() => sendAgain(order, job.id))}
        title={`“${order.reel.reel.name}” of ${order.disc.name}, as it stands on the Bench`}
      >
        Queue it again
      </Button>
    </>
  );
}

interface RowProps {
  readonly job: JobState;
  /** Seconds until it is done, as far as that is known. */
  readonly ends: number | null;
  /** What it is taken by, where it can be moved. */
  readonly handle: ReactNode;
  /** The one that is begun next. */
  readonly first: string | null;
  readonly chosen: boolean;
  readonly onChoose: (id: string, on: boolean, isRange: boolean) => void;
  readonly onMove: (job: JobState, before: string | null) => void;
}

const GRID = 'grid grid-cols-[16px_16px_minmax(0,1.5fr)_112px_minmax(0,3fr)_minmax(236px,auto)]';

/** One job: a line while it waits or is over, more while it runs or where it failed. */
export function JobRow({ job, ends, handle, first, chosen, onChoose, onMove }: RowProps) {
  const working = job.state === 'running' || job.state === 'interrupted';
  const left = job.rate && job.total > job.done ? (job.total - job.done) / job.rate : null;
  return (
    <div className={`flex flex-col gap-2 border-b border-faint px-3 py-2 ${chosen ? 'bg-wash' : ''}`}>
      <div className={`${GRID} items-baseline gap-2.5`}>
        <input
          type="checkbox"
          className="size-3.5 self-center accent-accent"
          aria-label={`Choose ${job.name}`}
          checked={chosen}
          onChange={(e) => {
            onChoose(job.id, e.target.checked, (e.nativeEvent as MouseEvent).shiftKey);
          }}
        />
        <span className="self-center">{handle}</span>
        <span className="truncate font-serif text-[16px] font-medium" title={[job.folder, job.fileName].filter(Boolean).join(' / ')}>
          {job.name}
        </span>
        <StateText state={job.paused ? 'eyes' : MARK[job.state]}>{stateText(job)}</StateText>
        <span className="truncate text-second">
          {job.fingerprint !== '' && (
            <>
              {list(job.recipes.map((r) => recipeName(r, namesIn(job))))} · from{' '}
              <Link className="hover:underline" href={`/bench/${job.fingerprint.slice(0, 16)}`}>
                {job.disc}
              </Link>{' '}
              to {[job.storage, job.folder].filter(Boolean).join(' / ')}
              {!working &&
                ` · ${job.state === 'waiting' && !job.paused && ends !== null ? `done in about ${timeLeft(ends)}` : standing(job)}`}
            </>
          )}
          {job.attempts > 1 ? ` · attempt ${job.attempts}` : ''}
        </span>
        <Actions job={job} first={first} onMove={onMove} />
      </div>
      {(working || job.state === 'failed') && <StageLine job={job} />}
      {working && (
        <div className="grid grid-cols-[minmax(0,1.5fr)_130px_minmax(0,3fr)] gap-3 pl-[52px] text-second">
          <span>
            {job.stage ? stageText(job, job.stage) : 'starting'}
            {amount(job) ? `, ${amount(job)}` : ''}
          </span>
          <span>{speed(job)}</span>
          <span>
            {job.paused
              ? ''
              : ends !== null
                ? `done in about ${timeLeft(ends)}`
                : left === null
                  ? ''
                  : `about ${timeLeft(left)} left of this stage`}
          </span>
        </div>
      )}
      {job.state === 'failed' && job.files.length > 0 && (
        <p className="text-second">
          Proven and in the vault all the same:{' '}
          <Link className="hover:underline" href="/vault">
            {list(job.files.map((file) => file.slice(file.lastIndexOf('/') + 1)))}
          </Link>
        </p>
      )}
      {job.problem && job.state !== 'done' && job.state !== 'cancelled' && <ProblemNote problem={job.problem} />}
      {job.state !== 'waiting' && <JobLog id={job.id} />}
    </div>
  );
}
