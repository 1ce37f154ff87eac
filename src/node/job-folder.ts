import { appendFileSync, existsSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { identify, isAlive, type ProcessId } from './process-id';
import {
  BesideResultSchema,
  JobEventSchema,
  JobSchema,
  MasterPromiseSchema,
  ProofSchema,
  StageSchema,
  type Job,
  type JobEvent,
} from '@/contract';

/** What a runner has finished, so that the next one can go on from there. */
export const ProgressFileSchema = z.object({
  finished: z.array(StageSchema),
  promise: MasterPromiseSchema.nullable(),
  masterBytes: z.number().nullable(),
  masterProof: ProofSchema.nullable(),
  masterSha256: z.string().nullable(),
  accessBytes: z.number().nullable(),
  accessProof: ProofSchema.nullable(),
  accessSha256: z.string().nullable(),
  beside: z.array(BesideResultSchema).default([]),
});
export type ProgressFile = z.infer<typeof ProgressFileSchema>;

const NOTHING_YET: ProgressFile = {
  finished: [],
  promise: null,
  masterBytes: null,
  masterProof: null,
  masterSha256: null,
  accessBytes: null,
  accessProof: null,
  accessSha256: null,
  beside: [],
};

const ProcessIdSchema = z.object({ pid: z.number().int().positive(), startTime: z.string() });

type EventBody<T> = T extends JobEvent ? Omit<T, 'seq' | 'at'> : never;

/** The folder of one job: the only thing a runner knows of the world, besides the source and the storage it names. */
export class JobFolder {
  private seq: number;
  constructor(readonly path: string) {
    this.seq = this.countEvents();
  }

  readonly file = (name: string): string => path.join(this.path, name);

  readJob(): Job {
    return JobSchema.parse(JSON.parse(readFileSync(this.file('job.json'), 'utf8')));
  }

  /** True where the user asked to stop, as against a machine that is shut down. */
  get cancelAsked(): boolean {
    return existsSync(this.file('cancel'));
  }

  /** The user wants what there is, where the disc is not whole. */
  get aroundChosen(): boolean {
    return existsSync(this.file('around'));
  }

  chooseAround(): void {
    writeFileSync(this.file('around'), '');
  }

  readProgress(): ProgressFile {
    try {
      return ProgressFileSchema.parse(JSON.parse(readFileSync(this.file('progress.json'), 'utf8')));
    } catch {
      return NOTHING_YET; // not there, or torn by a power cut: the stages are then done again
    }
  }

  writeProgress(progress: ProgressFile): void {
    const temporary = this.file('progress.json.new');
    writeFileSync(temporary, JSON.stringify(progress));
    renameSync(temporary, this.file('progress.json'));
  }

  /** Appends one event; a line is written in one call, so that a reader never takes half of one for a whole. */
  emit(body: EventBody<JobEvent>): void {
    const event = JobEventSchema.parse({ ...body, seq: ++this.seq, at: new Date().toISOString() });
    appendFileSync(this.file('events.ndjson'), `${JSON.stringify(event)}\n`);
  }

  /** The process that works on this job, or did so last; null where none is noted. */
  get runner(): ProcessId | null {
    try {
      return ProcessIdSchema.parse(JSON.parse(readFileSync(this.file('runner.json'), 'utf8')));
    } catch {
      return null;
    }
  }

  /** Takes the job for this process. @returns false where another that lives works on it. */
  claim(): boolean {
    const other = this.runner;
    if (other && other.pid !== process.pid && isAlive(other)) return false;
    writeFileSync(this.file('runner.json.new'), JSON.stringify(identify(process.pid)));
    renameSync(this.file('runner.json.new'), this.file('runner.json'));
    return true;
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
