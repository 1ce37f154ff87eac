import { appendFileSync, existsSync, linkSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { appendDurably, writeDurably } from './durable';
import { FileStampSchema, isWithoutLinks } from './placing';
import { identify, isAlive, readProcess, type ProcessId } from './process-id';
import {
  BesideResultSchema,
  CopyExpectationSchema,
  JOB_VERSION,
  JobEventSchema,
  JobSchema,
  JobStorageSchema,
  MasterPromiseSchema,
  OutcomeSchema,
  ProofSchema,
  RecipeIdSchema,
  StageSchema,
  WorkError,
  type Job,
  withDigest,
  type JobEvent,
} from '@/contract';

/** One copy on its way: made, and then proven. */
const CopyFields = z.object({
  recipe: RecipeIdSchema,
  bytes: z.number(),
  expects: CopyExpectationSchema,
  tookMs: z.number().nullable().default(null),
  encoder: z.string().nullable().default(null),
  proof: ProofSchema.nullable(),
  digest: z.string().nullable(),
  stamp: FileStampSchema.nullable(),
  outcome: OutcomeSchema.nullable().default(null),
});

const CopyProgressSchema = z.preprocess(withDigest, CopyFields);

/** What a runner has finished, so that the next one can go on from there. */
const ProgressFields = z.object({
  finished: z.array(StageSchema),
  promise: MasterPromiseSchema.nullable(),
  masterBytes: z.number().nullable(),
  masterProof: ProofSchema.nullable(),
  masterDigest: z.string().nullable(),
  masterStamp: FileStampSchema.nullable().default(null),
  copies: z.array(CopyProgressSchema).default([]),
  beside: z.array(BesideResultSchema).default([]),
  /** The storage in whose workshop the master and what was made beside it stand still: the job goes to another now. */
  broughtFrom: JobStorageSchema.nullable().default(null),
});
/** As it was called when every digest was SHA-256. */
const withMasterDigest = (written: unknown): unknown =>
  typeof written === 'object' && written !== null && 'masterSha256' in written
    ? { masterDigest: written.masterSha256, ...written }
    : written;
export const ProgressFileSchema = z.preprocess(withMasterDigest, ProgressFields);
export type ProgressFile = z.infer<typeof ProgressFileSchema>;

const NOTHING_YET: ProgressFile = {
  finished: [],
  promise: null,
  masterBytes: null,
  masterProof: null,
  masterDigest: null,
  masterStamp: null,
  copies: [],
  beside: [],
  broughtFrom: null,
};

/** Bytes of a finished master in the storage that its job goes to; null where none stands there. */
export const masterBytesThere = ({ masterBytes, broughtFrom }: ProgressFile): number | null => (broughtFrom ? null : masterBytes);

/** What is wrong with the data folder is not what a library is connected for. */
function journalProblem(error: unknown): WorkError {
  const code = (error as NodeJS.ErrnoException).code ?? '';
  return code === 'ENOSPC' || code === 'EDQUOT'
    ? new WorkError('data-full', 'There is no room for the journal of this job', { cause: error })
    : new WorkError('data-failed', `The journal of this job can not be written (${code})`, { cause: error });
}

/** A line of a journal; null for one that is no event: torn by a power cut, or of a later version. */
export function parseEvent(line: string): JobEvent | null {
  try {
    const parsed = JobEventSchema.safeParse(JSON.parse(line));
    return parsed.success ? parsed.data : null;
  } catch {
    return null;
  }
}

type EventBody<T> = T extends JobEvent ? Omit<T, 'seq' | 'at'> : never;

/** The folder of one job: the only thing a runner knows of the world, besides the source and the storage it names. */
export class JobFolder {
  private seq: number | null = null;
  constructor(readonly path: string) {}

  readonly file = (name: string): string => path.join(this.path, name);

  /** @throws WorkError `too-new`; `order-lost` where the order is torn, or not one that could have been given: files are not believed more than requests. */
  readJob(): Job {
    let job: Job;
    try {
      const given: unknown = JSON.parse(readFileSync(this.file('job.json'), 'utf8'));
      const version = typeof given === 'object' && given !== null && 'version' in given ? Number(given.version) : 0;
      if (version > JOB_VERSION)
        throw new WorkError('too-new', `This job was ordered from a newer version of Careful Vault (its order is of version ${version})`);
      job = JobSchema.parse(given);
    } catch (error) {
      if (error instanceof WorkError) throw error;
      const how =
        error instanceof SyntaxError ? 'it was torn, most likely by a power cut' : 'it is not there, or not as this version knows orders';
      throw new WorkError('order-lost', `The order of this job can not be read: ${how}`, { cause: error });
    }
    const inside = path.join(job.folder, job.fileName);
    const leaves = path.isAbsolute(inside) || inside.split(/[/\\]/).includes('..') || inside.includes('\0');
    if (job.id !== path.basename(this.path) || leaves || /[/\\]/.test(job.fileName) || !path.isAbsolute(job.storage.path))
      throw new WorkError('order-lost', 'The order of this job is not as it was given: it was changed');
    return job;
  }

  /** The last that was decided of this job: it is to be stopped, to wait, to be tried again, or it has ended. */
  get standing(): JobEvent['type'] | null {
    return this.decisions().findLast((e) => e.type !== 'paused')?.type ?? null;
  }

  /** The user wants what there is, where the disc is not whole. Orders of version 1 have a file that says so. */
  get aroundChosen(): boolean {
    return existsSync(this.file('around')) || this.decisions().some((e) => e.type === 'retried' && e.around);
  }

  /** How often it was told to stand still. */
  get pauses(): number {
    return this.decisions().filter((e) => e.type === 'paused').length;
  }

  /** Events that say what was decided, in order. */
  private decisions(): JobEvent[] {
    let text: string;
    try {
      text = readFileSync(this.file('events.ndjson'), 'utf8');
    } catch {
      return [];
    }
    return text.split('\n').flatMap((line) => {
      if (!/"type":"(cancel-asked|retried|cancelled|failed|finished|held|paused)"/.test(line)) return [];
      const event = parseEvent(line);
      return event ? [event] : [];
    });
  }

  readProgress(): ProgressFile {
    try {
      return ProgressFileSchema.parse(JSON.parse(readFileSync(this.file('progress.json'), 'utf8')));
    } catch {
      return NOTHING_YET; // not there, or torn by a power cut: the stages are then done again
    }
  }

  /** @throws WorkError `data-full`, `data-failed`. */
  writeProgress(progress: ProgressFile): void {
    try {
      writeDurably(this.file('progress.json'), JSON.stringify(progress));
    } catch (error) {
      throw journalProblem(error);
    }
  }

  /** Appends one event; a line is written in one call, so that a reader never takes half of one for a whole. */
  emit(body: EventBody<JobEvent>): void {
    const event = JobEventSchema.parse({ ...body, seq: this.nextSeq(), at: new Date().toISOString() });
    // What counts done work or tells of a decision must outlast a power cut; how far a stage has come need not.
    const isNews = event.type === 'progress' || event.type === 'note';
    try {
      appendDurably(this.file('events.ndjson'), `${JSON.stringify(event)}\n`, !isNews);
    } catch (error) {
      const problem = journalProblem(error);
      // A job does not end because nobody can be told how far it is.
      if (!isNews || problem.code !== 'data-full') throw problem;
    }
  }

  /** The process that works on this job, or did so last; null where none is noted. */
  get runner(): ProcessId | null {
    return readProcess(this.file('runner.json'));
  }

  /**
   * Takes the job for this process. Claims are numbered: of two that find the last one's process dead, only one can make the next.
   * @returns false where another that lives works on it.
   */
  claim(): boolean {
    const numbers = this.claims();
    const last = numbers.at(-1) ?? 0;
    const holder = last > 0 ? readProcess(this.file(`claim-${last}`)) : this.runner;
    if (holder && holder.pid !== process.pid && isAlive(holder)) return false;
    const own = JSON.stringify(identify(process.pid));
    const draft = this.file(`claim-by-${process.pid}`);
    writeDurably(draft, own);
    try {
      linkSync(draft, this.file(`claim-${last + 1}`));
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
      if (!isWithoutLinks(error)) throw error;
      // No hard links here: what is made is then empty for a moment, and read as nobody's.
      writeFileSync(this.file(`claim-${last + 1}`), own, { flag: 'wx' });
    } finally {
      rmSync(draft, { force: true });
    }
    writeDurably(this.file('runner.json'), own);
    for (const n of numbers) rmSync(this.file(`claim-${n}`), { force: true });
    return true;
  }

  private claims(): number[] {
    const found = readdirSync(this.path).flatMap((name) => /^claim-(\d{1,9})$/.exec(name)?.[1] ?? []);
    return found.map(Number).sort((a, b) => a - b);
  }

  private nextSeq(): number {
    this.seq = (this.seq ?? this.countEvents()) + 1;
    return this.seq;
  }

  /** Whatever was finished is done again. */
  forgetProgress(): void {
    rmSync(this.file('progress.json'), { force: true });
  }

  /** The job was cancelled, and nothing of it kept: another attempt begins at the beginning. */
  cancelled(): void {
    this.forgetProgress();
    this.emit({ type: 'cancelled' });
  }

  private countEvents(): number {
    try {
      const text = readFileSync(this.file('events.ndjson'), 'utf8');
      // A line torn by a power cut is ended, so that the next one stands by itself.
      if (text.length > 0 && !text.endsWith('\n')) appendFileSync(this.file('events.ndjson'), '\n');
      return text.split('\n').filter((line) => line !== '').length;
    } catch {
      return 0;
    }
  }
}
