import { randomUUID } from 'node:crypto';
import type { Findings } from '@/core/findings';
import type { Reading } from '@/core/reading';
import { sourceKey, toProblem, WorkError, type JobSource, type ReadingTask, type SourceRef } from '@/contract';
import type { Drives } from './drives';
import type { Helpers } from './helpers';
import type { Hub } from './hub';

interface Task {
  state: ReadingTask;
  readonly controller: AbortController;
  readonly thorough: boolean;
  readonly place: JobSource;
  reading: Reading | null;
  findings: Findings | null;
}

const KEPT_TASKS = 300;
/** Image files read at a time: a shelf of hundreds is gone through in the background. Drives are read beside them. */
const LANES = 2;

/** Readings under way and lately done. The catalogue is the browser's; this only keeps what a page may still ask for. */
export class Readings {
  private readonly tasks = new Map<string, Task>();
  private readonly waiting: Task[] = [];
  private running = 0;

  constructor(
    private readonly resolve: (ref: SourceRef) => Promise<JobSource>,
    private readonly drives: Drives,
    private readonly hub: Hub,
    private readonly helpers: Helpers,
    /** Hears of every reading that has ended. */
    private readonly ended: (task: ReadingTask, reading: Reading | null, findings: Findings | null) => void = () => undefined,
  ) {}

  states(): ReadingTask[] {
    return [...this.tasks.values()].map((t) => t.state);
  }

  async start(ref: SourceRef, thorough = false): Promise<ReadingTask> {
    const source = await this.resolve(ref);
    const isOpen = (t: Task) => t.state.state === 'reading' || t.state.state === 'waiting';
    const running = [...this.tasks.values()].find((t) => isOpen(t) && sourceKey(t.state.source) === sourceKey(ref));
    if (running) return running.state;
    const id = randomUUID();
    const task: Task = {
      state: {
        id,
        source: ref,
        name: source.label,
        state: 'waiting',
        progress: { step: 'opening', done: 0, total: 0 },
        problem: null,
        fingerprint: null,
        thorough,
      },
      controller: new AbortController(),
      thorough,
      place: source,
      reading: null,
      findings: null,
    };
    this.tasks.set(id, task);
    for (const old of this.tasks.keys()) if (this.tasks.size > KEPT_TASKS && !isOpen(this.tasks.get(old) ?? task)) this.tasks.delete(old);
    this.waiting.push(task);
    this.update(task, {});
    this.next();
    return task.state;
  }

  /** Starts what there is a lane for; a drive is its own. */
  private next(): void {
    for (const task of [...this.waiting]) {
      const isDrive = task.place.kind === 'drive';
      if (!isDrive && this.running >= LANES) continue;
      this.waiting.splice(this.waiting.indexOf(task), 1);
      if (!isDrive) this.running++;
      this.update(task, { state: 'reading' });
      void this.run(task, task.place).finally(() => {
        if (!isDrive) this.running--;
        this.next();
      });
    }
  }

  private update(task: Task, change: Partial<ReadingTask>): void {
    task.state = { ...task.state, ...change };
    this.hub.send({ type: 'reading', task: task.state });
  }

  private async run(task: Task, source: JobSource): Promise<void> {
    const use = source.kind === 'drive' ? this.drives.use(source.drive) : null;
    try {
      const order = { kind: 'read' as const, source, spunUp: use?.spunUp ?? true, thorough: task.thorough };
      const { reading, findings } = await this.helpers.run(order, task.controller.signal, (line) => {
        if (line.type === 'opened' && source.kind === 'drive') this.drives.spunUp(source.drive);
        if (line.type === 'progress') this.update(task, { progress: line.progress });
      });
      task.reading = reading;
      task.findings = findings;
      this.update(task, { state: 'done', fingerprint: reading.fingerprint });
    } catch (error) {
      const problem = toProblem(error);
      this.update(task, problem.code === 'cancelled' ? { state: 'cancelled' } : { state: 'failed', problem });
    } finally {
      use?.done();
    }
    this.ended(task.state, task.reading, task.findings);
  }

  private find(id: string): Task {
    const task = this.tasks.get(id);
    if (!task) throw new WorkError('not-known', 'This reading is no longer kept');
    return task;
  }

  result(id: string): { task: ReadingTask; reading: Reading | null; findings: Findings | null } {
    const { state, reading, findings } = this.find(id);
    return { task: state, reading, findings };
  }

  cancel(id: string): void {
    const task = this.find(id);
    const at = this.waiting.indexOf(task);
    if (at >= 0) {
      this.waiting.splice(at, 1);
      this.update(task, { state: 'cancelled' });
    } else task.controller.abort();
  }
}
