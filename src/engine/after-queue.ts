import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { AFTER_GRACE_MS, AfterOutcomeSchema, isOver, toProblem, type AfterState, type JobState, type QueueSettings } from '@/contract';
import { writeDurably } from '@/node/durable';
import type { EngineConfig } from './config';
import type { Drives } from './drives';
import type { Hub } from './hub';
import type { QueueRules } from './queue-rules';

const KeptSchema = z.object({ version: z.literal(1), chosenAt: z.string(), last: AfterOutcomeSchema.nullable() });
type Kept = z.infer<typeof KeptSchema>;

/** Of what a command said, so much is kept. */
const MOST_SAID = 500;

interface Surroundings {
  readonly dataFolder: string;
  readonly commands: EngineConfig['afterQueue'];
  readonly rules: Pick<QueueRules, 'current' | 'change'>;
  readonly jobs: { states(): readonly JobState[] };
  readonly drives: Pick<Drives, 'states' | 'eject'>;
  /** Nothing is read or written, beside the queue as well. */
  readonly isIdle: () => boolean;
  readonly hub: Pick<Hub, 'send'>;
}

/**
 * What is done once when all jobs are over: open the trays, or run a command that whoever starts the application has named. It is done
 * for what has ended since it was chosen, some seconds after the last job, and then it is chosen no more; an engine that ends in between
 * does not do it twice.
 */
export class AfterQueue {
  private readonly file: string;
  private kept: Kept;
  private dueAt: number | null = null;
  private working: Promise<void> | null = null;

  constructor(private readonly around: Surroundings) {
    this.file = path.join(around.dataFolder, 'after-queue.json');
    this.kept = this.load();
  }

  private load(): Kept {
    try {
      return KeptSchema.parse(JSON.parse(readFileSync(this.file, 'utf8')));
    } catch {
      return { version: 1, chosenAt: new Date().toISOString(), last: null };
    }
  }

  private keep(change: Partial<Kept>): void {
    const kept = { ...this.kept, ...change };
    writeDurably(this.file, JSON.stringify(kept));
    this.kept = kept;
  }

  get state(): AfterState {
    return { dueAt: this.dueAt === null ? null : new Date(this.dueAt).toISOString(), last: this.kept.last };
  }

  private tell(): void {
    this.around.hub.send({ type: 'after', after: this.state });
  }

  /** Somebody has chosen anew: what ended before does not count. @throws a system error where that can not be written. */
  chosen(before: QueueSettings['after']): void {
    if (JSON.stringify(before) === JSON.stringify(this.around.rules.current.after)) return;
    this.keep({ chosenAt: new Date().toISOString() });
    this.dueAt = null;
    this.tell();
  }

  /** Looks whether its time has come. */
  async look(now = Date.now()): Promise<void> {
    const { after } = this.around.rules.current;
    const isDue = after.do !== 'nothing' && this.isOver() && this.around.isIdle();
    if (!isDue) {
      if (this.dueAt === null) return;
      this.dueAt = null;
      this.tell();
    } else if (this.dueAt === null) {
      this.dueAt = now + AFTER_GRACE_MS;
      this.tell();
    } else if (now >= this.dueAt) {
      this.working ??= this.act(after).finally(() => {
        this.working = null;
      });
      await this.working;
    }
  }

  private isOver(): boolean {
    const states = this.around.jobs.states();
    return states.every(isOver) && states.some((j) => (j.endedAt ?? '') > this.kept.chosenAt);
  }

  private async act(after: QueueSettings['after']): Promise<void> {
    const { rules, hub } = this.around;
    const command = after.do === 'run' ? this.around.commands.find((c) => c.id === after.command) : undefined;
    const what = after.do === 'eject' ? 'Open the trays' : (command?.name ?? 'a command that is no more');
    const at = new Date().toISOString();
    // Written first: what switches the machine off must not do so again at every start.
    rules.change({ ...rules.current, after: { do: 'nothing' } });
    this.dueAt = null;
    this.keep({ last: { at, what, state: 'begun', said: '' } });
    hub.send({ type: 'queue', queue: rules.current });
    this.tell();
    const said = after.do === 'eject' ? await this.eject() : command ? await run(command.command) : 'It is not among those that may be run';
    this.keep({ last: { at, what, state: said === null ? 'done' : 'failed', said: said ?? '' } });
    this.tell();
  }

  /** @returns what went wrong. */
  private async eject(): Promise<string | null> {
    const problems: string[] = [];
    for (const { id, name, disc } of this.around.drives.states())
      if (disc !== null)
        await this.around.drives.eject(id).catch((error: unknown) => {
          problems.push(`${name}: ${toProblem(error).message}`);
        });
    return problems.length > 0 ? problems.join('; ') : null;
  }
}

/** @returns what it said where it failed; null where it did what it was to do. */
function run([program = '', ...args]: readonly string[]): Promise<string | null> {
  return new Promise((resolve) => {
    let said = '';
    // Of its own, like a runner: it goes on when the engine that it may well end is gone.
    const child = spawn(program, args, { detached: true, stdio: ['ignore', 'pipe', 'pipe'] });
    const hear = (part: Buffer) => {
      said = (said + part.toString('utf8')).slice(-MOST_SAID);
    };
    child.stdout.on('data', hear);
    child.stderr.on('data', hear);
    child.on('error', (error) => {
      resolve(error.message);
    });
    child.on('close', (code, signal) => {
      resolve(code === 0 ? null : `It ended with ${code ?? signal ?? 'nothing'}: ${said.trim() || 'no message'}`);
    });
    child.unref();
  });
}
