import { spawn } from 'node:child_process';
import { closeSync, openSync } from 'node:fs';
import path from 'node:path';
import { identify, isCommand, type ProcessId } from '@/node/process-id';
import { RUNNER_FLAGS } from '@/node/runner-flags';

/** The processes that do the work of jobs. An interface, so that a test can play them. */
export interface Runners {
  /**
   * Starts one that goes on whatever happens to the engine.
   * @param untilRead it is to stop once the disc is no longer needed. @returns null where it did not come to life.
   */
  launch(folder: string, untilRead: boolean, ended: () => void): ProcessId | null;
  /** The runner of this very job lives: whatever else has that number is none of ours. */
  isAtWork(id: ProcessId, folder: string): boolean;
  /** @param hard it did not stop when it was asked to. */
  stop(id: ProcessId, hard?: boolean): void;
}

export class RunnerProcesses implements Runners {
  constructor(private readonly program: string) {}

  launch(folder: string, untilRead: boolean, ended: () => void): ProcessId | null {
    const log = openSync(path.join(folder, 'log.txt'), 'a');
    try {
      const child = spawn(process.execPath, [...RUNNER_FLAGS, this.program, folder, ...(untilRead ? ['--until-read'] : [])], {
        detached: true,
        stdio: ['ignore', log, log],
      });
      child.on('error', ended);
      child.on('exit', ended);
      child.unref();
      return child.pid === undefined ? null : identify(child.pid);
    } finally {
      closeSync(log);
    }
  }

  isAtWork(id: ProcessId, folder: string): boolean {
    return isCommand(id, [this.program, folder]);
  }

  stop({ pid }: ProcessId, hard = false): void {
    try {
      process.kill(pid, hard ? 'SIGKILL' : 'SIGTERM');
    } catch {
      // it has just ended by itself
    }
  }
}
