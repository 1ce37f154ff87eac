import { randomUUID } from 'node:crypto';
import { findRoles, type Findings } from '@/core/findings';
import { readDisc, type Reading } from '@/core/reading';
import { toProblem, WorkError, type JobSource, type ReadingTask, type SourceRef } from '@/contract';
import { openVolume } from '@/node/open-volume';
import type { Drives } from './drives';
import type { Hub } from './hub';

interface Task {
  state: ReadingTask;
  readonly controller: AbortController;
  reading: Reading | null;
  findings: Findings | null;
}

const KEPT_TASKS = 200;

/** Readings under way and lately done. The catalogue is the browser's; this only keeps what a page may still ask for. */
export class Readings {
  private readonly tasks = new Map<string, Task>();

  constructor(
    private readonly resolve: (ref: SourceRef) => Promise<JobSource>,
    private readonly drives: Drives,
    private readonly hub: Hub,
  ) {}

  states(): ReadingTask[] {
    return [...this.tasks.values()].map((t) => t.state);
  }

  async start(ref: SourceRef): Promise<ReadingTask> {
    const source = await this.resolve(ref);
    const running = [...this.tasks.values()].find(
      (t) => t.state.state === 'reading' && JSON.stringify(t.state.source) === JSON.stringify(ref),
    );
    if (running) return running.state;
    const id = randomUUID();
    const task: Task = {
      state: {
        id,
        source: ref,
        name: source.label,
        state: 'reading',
        progress: { step: 'opening', done: 0, total: 0 },
        problem: null,
        fingerprint: null,
      },
      controller: new AbortController(),
      reading: null,
      findings: null,
    };
    this.tasks.set(id, task);
    for (const old of this.tasks.keys())
      if (this.tasks.size > KEPT_TASKS && this.tasks.get(old)?.state.state !== 'reading') this.tasks.delete(old);
    this.update(task, {});
    void this.run(task, source);
    return task.state;
  }

  private update(task: Task, change: Partial<ReadingTask>): void {
    task.state = { ...task.state, ...change };
    this.hub.send({ type: 'reading', task: task.state });
  }

  private async run(task: Task, source: JobSource): Promise<void> {
    const use = source.kind === 'drive' ? this.drives.use(source.drive) : null;
    try {
      const opened = await openVolume(source, { spunUp: use?.spunUp ?? true, signal: task.controller.signal });
      if (source.kind === 'drive') this.drives.spunUp(source.drive);
      try {
        task.reading = await readDisc(opened.volume, {
          signal: task.controller.signal,
          onProgress: (progress) => {
            this.update(task, { progress });
          },
        });
      } finally {
        await opened.close();
      }
      task.findings = findRoles(task.reading);
      this.update(task, { state: 'done', fingerprint: task.reading.fingerprint });
    } catch (error) {
      const problem = toProblem(error);
      this.update(task, problem.code === 'cancelled' ? { state: 'cancelled' } : { state: 'failed', problem });
    } finally {
      use?.done();
    }
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
    this.find(id).controller.abort();
  }
}
