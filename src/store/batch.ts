import { isOver, type JobState, type Problem } from '@/contract';

/** A batch: jobs that were on the queue together, without a pause of any length in which nothing was. */

export interface Batch {
  readonly jobs: readonly JobState[];
  readonly fromAt: string;
  /** Null while any of them is not over. */
  readonly untilAt: string | null;
  /** In the vault, proven, and nothing to say of them. */
  readonly done: readonly JobState[];
  /** In the vault, proven, but of discs that are not whole. */
  readonly withGaps: readonly JobState[];
  readonly failed: readonly JobState[];
  readonly cancelled: readonly JobState[];
  /** Still to come, or at work. */
  readonly open: readonly JobState[];
}

/** So long nothing may be on the queue within one batch, milliseconds: changing a disc takes its time. */
const MOST_IDLE_MS = 30 * 60_000;

const isOpen = (j: JobState) => !isOver(j);

/** The batch that is under way, or was last; null where no job has ever been begun that is still listed. */
export function lastBatch(jobs: readonly JobState[]): Batch | null {
  const sorted = jobs
    .map((job) => ({
      job,
      from: Date.parse(job.createdAt),
      to: isOpen(job) ? Number.POSITIVE_INFINITY : Date.parse(job.endedAt ?? job.createdAt),
    }))
    .filter(({ from }) => Number.isFinite(from))
    .sort((a, b) => b.to - a.to || b.from - a.from);
  if (sorted.length === 0) return null;
  const taken: JobState[] = [];
  let begins = Number.POSITIVE_INFINITY;
  for (const { job, from, to } of sorted) {
    if (taken.length > 0 && to < begins - MOST_IDLE_MS) break;
    taken.push(job);
    begins = Math.min(begins, from);
  }
  const of = (is: (j: JobState) => boolean) => taken.filter(is);
  const open = of(isOpen);
  const ends = taken.map((j) => j.endedAt ?? '').sort();
  return {
    jobs: taken,
    fromAt: new Date(begins).toISOString(),
    untilAt: open.length > 0 ? null : (ends.at(-1) ?? null),
    done: of((j) => j.state === 'done' && j.damaged === 0),
    withGaps: of((j) => j.state === 'done' && j.damaged > 0),
    failed: of((j) => j.state === 'failed'),
    cancelled: of((j) => j.state === 'cancelled'),
    open,
  };
}

export interface ReportRow {
  readonly name: string;
  readonly disc: string;
  readonly kind: keyof Pick<Batch, 'done' | 'withGaps' | 'failed' | 'cancelled' | 'open'>;
  readonly outcome: string;
  readonly files: readonly string[];
  readonly storage: string;
  readonly startedAt: string | null;
  readonly endedAt: string | null;
  readonly problem: Problem | null;
}

const OUTCOME = (j: JobState): string => {
  if (j.state === 'done') return j.damaged > 0 ? `in the vault, proven, with ${j.damaged} gaps` : 'in the vault, proven';
  if (j.state === 'failed') return 'failed';
  return j.state === 'cancelled' ? 'cancelled' : j.paused ? 'paused' : j.state;
};

/** What is said of each job, those that want eyes first. */
export function reportRows(batch: Batch): readonly ReportRow[] {
  const kinds = ['failed', 'withGaps', 'open', 'cancelled', 'done'] as const;
  const all = kinds.flatMap((kind) => batch[kind].map((job) => ({ kind, job })));
  return all.map(({ kind, job: j }) => ({
    kind,
    name: j.name,
    disc: j.disc,
    outcome: OUTCOME(j),
    files: j.files,
    storage: j.storage,
    startedAt: j.startedAt,
    endedAt: j.endedAt,
    problem: j.state === 'failed' || isOpen(j) ? j.problem : null,
  }));
}

/** A field of RFC 4180. What a spreadsheet would take for a formula is made a text. */
const field = (text: string): string => `"${(/^[=+\-@\t\r]/.test(text) ? `'${text}` : text).replaceAll('"', '""')}"`;

/** The report as a table for spreadsheets: RFC 4180. */
export function reportCsv(rows: readonly ReportRow[]): string {
  const head = ['name', 'disc', 'outcome', 'files', 'storage', 'begun', 'ended', 'problem', 'what to do'];
  const lines = rows.map((r) => [
    ...[r.name, r.disc, r.outcome, r.files.join('; '), r.storage, r.startedAt ?? '', r.endedAt ?? ''],
    ...[r.problem?.message ?? '', r.problem?.whatToDo ?? ''],
  ]);
  return [head, ...lines].map((line) => `${line.map(field).join(',')}\r\n`).join('');
}
