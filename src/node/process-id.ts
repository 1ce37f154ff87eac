import { readFileSync } from 'node:fs';
import { z } from 'zod';

/** A process told apart from a later one with the same number: by the time it was started. */
export interface ProcessId {
  readonly pid: number;
  readonly startTime: string;
}

const ProcessIdSchema = z.object({ pid: z.number().int().positive(), startTime: z.string() });

/** The process that a file names; null where it names none. */
export function readProcess(file: string): ProcessId | null {
  try {
    return ProcessIdSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
  } catch {
    return null;
  }
}

/** Start time in clock ticks since boot: field 22 of /proc/PID/stat (proc(5)). Null where there is no such process. */
function startTimeOf(pid: number): string | null {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'utf8');
    const fields = text.slice(text.lastIndexOf(')') + 2).split(' ');
    // A zombie has ended; it only waits to be noticed.
    return fields[0] === 'Z' ? null : (fields[19] ?? null);
  } catch {
    return null;
  }
}

/** Whether a process stands still because it was told to (state T, proc(5)); null where there is none. */
export function isStopped(pid: number): boolean | null {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'utf8');
    return text.slice(text.lastIndexOf(')') + 2, text.lastIndexOf(')') + 3) === 'T';
  } catch {
    return null;
  }
}

export function identify(pid: number): ProcessId | null {
  const startTime = startTimeOf(pid);
  return startTime === null ? null : { pid, startTime };
}

export const isAlive = (id: ProcessId): boolean => startTimeOf(id.pid) === id.startTime;

/** A process that was started, by the word of the system, with all of these in its command line: what a file says of itself is not believed. */
export function isCommand(id: ProcessId, words: readonly string[]): boolean {
  if (!isAlive(id)) return false;
  try {
    const given = readFileSync(`/proc/${id.pid}/cmdline`, 'utf8').split('\0');
    return words.every((word) => given.includes(word));
  } catch {
    return false;
  }
}
