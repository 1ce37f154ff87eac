import { spawn } from 'node:child_process';
import { closeSync, openSync } from 'node:fs';
import { constants, setPriority } from 'node:os';
import path from 'node:path';
import { identify, isCommand, isStopped, type ProcessId } from '@/node/process-id';
import { RUNNER_FLAGS } from '@/node/runner-flags';

/** The processes that do the work of jobs. An interface, so that a test can play them. */
export interface Runners {
  /**
   * Starts one that goes on whatever happens to the engine.
   * @param untilRead it is to stop once the disc is no longer needed. @returns null where it did not come to life.
   */
  launch(folder: string, untilRead: boolean, ended: () => void, background?: boolean): ProcessId | null;
  /** The runner of this very job lives: whatever else has that number is none of ours. */
  isAtWork(id: ProcessId, folder: string): boolean;
  /** It and all that it has begun stand still, as they are, until they are to go on. Those that do already are left. */
  pause(id: ProcessId): void;
  goOn(id: ProcessId): void;
  /** @param hard it did not stop when it was asked to. */
  stop(id: ProcessId, hard?: boolean): void;
}

/** @param pid negative for a whole group: a runner is started as the first of its own, and what it begins belongs to that. */
function signal(pid: number, name: NodeJS.Signals): void {
  try {
    process.kill(pid, name);
  } catch {
    // it has just ended by itself
  }
}

/** What a runner begins inherits this: it is said before it has begun anything. Disks are asked behind others where `ionice` is there. */
function putBehind(pid: number): void {
  try {
    setPriority(pid, constants.priority.PRIORITY_LOW);
    spawn('ionice', ['-c', '3', '-p', String(pid)], { stdio: 'ignore' }).on('error', () => undefined);
  } catch {
    // it works as well as others then
  }
}

export class RunnerProcesses implements Runners {
  constructor(private readonly program: string) {}

  launch(folder: string, untilRead: boolean, ended: () => void, background = false): ProcessId | null {
    const log = openSync(path.join(folder, 'log.txt'), 'a');
    try {
      const child = spawn(process.execPath, [...RUNNER_FLAGS, this.program, folder, ...(untilRead ? ['--until-read'] : [])], {
        detached: true,
        stdio: ['ignore', log, log],
      });
      child.on('error', ended);
      child.on('exit', ended);
      child.unref();
      if (background && child.pid !== undefined) putBehind(child.pid);
      return child.pid === undefined ? null : identify(child.pid);
    } finally {
      closeSync(log);
    }
  }

  isAtWork(id: ProcessId, folder: string): boolean {
    return isCommand(id, [this.program, folder]);
  }

  stop({ pid }: ProcessId, hard = false): void {
    signal(pid, hard ? 'SIGKILL' : 'SIGTERM');
    // One that stands still would hear of it when it goes on; and what it has begun must notice that it is gone.
    signal(-pid, 'SIGCONT');
  }

  pause({ pid }: ProcessId): void {
    if (isStopped(pid) === false) signal(-pid, 'SIGSTOP');
  }

  goOn({ pid }: ProcessId): void {
    if (isStopped(pid) !== false) signal(-pid, 'SIGCONT');
  }
}
