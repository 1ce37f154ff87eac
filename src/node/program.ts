import { spawn, spawnSync, type ChildProcessWithoutNullStreams } from 'node:child_process';
import type { Readable } from 'node:stream';
import type { MatroskaSink } from '@/core/matroska';
import { WorkError } from '@/contract';

let guarded: boolean | null = null;

/** A program that dies with this process, where the system can arrange that: an encoder must not outlive its runner. */
export function spawnGuarded(program: string, args: readonly string[], cwd?: string): ChildProcessWithoutNullStreams {
  guarded ??= spawnSync('setpriv', ['--version']).status === 0;
  const where = cwd === undefined ? {} : { cwd };
  return guarded ? spawn('setpriv', ['--pdeathsig', 'KILL', '--', program, ...args], where) : spawn(program, args, where);
}

const KEPT_LINES = 200;
const MOST_CAPTURED = 4_000_000;
/** strerror(ENOSPC) and strerror(EFBIG), as programs pass them on. */
const NO_SPACE = 'No space left on device';
const TOO_LARGE = 'File too large';

/** Hears what a program says line by line, and keeps the last. */
export function collectLines(stream: NodeJS.ReadableStream, lines: string[], onLine?: (line: string) => void): void {
  let rest = '';
  stream.on('data', (chunk: Buffer) => {
    const parts = (rest + chunk.toString('utf8')).split(/[\r\n]+/);
    rest = (parts.pop() ?? '').slice(-2000);
    for (const line of parts) {
      if (line.trim() === '') continue;
      if (lines.length >= KEPT_LINES) lines.shift();
      lines.push(line.slice(0, 1000));
      onLine?.(line);
    }
  });
  stream.on('end', () => {
    if (rest.trim()) lines.push(rest.trim());
  });
}

/** A program at work. */
export interface RunningProgram {
  readonly stdout: Readable;
  /** The last lines of what it complained of. */
  readonly errors: readonly string[];
  /** Its standard input: what is written waits until the program has room for it. */
  readonly input: MatroskaSink;
  readonly closeInput: () => void;
  /** Settles when it has ended. @throws WorkError `encoder-failed` with its last words, `storage-full`, `file-too-large`. */
  readonly end: Promise<void>;
  readonly stop: () => void;
}

interface ProgramOptions {
  /** Ends the program. */
  readonly signal?: AbortSignal | undefined;
  /** Hears what it says on standard error. */
  readonly onLine?: (line: string) => void;
  /** The folder that it runs in. */
  readonly cwd?: string | undefined;
}

function endOf(child: ChildProcessWithoutNullStreams, errors: readonly string[], what: string, signal?: AbortSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    const stop = () => child.kill('SIGKILL');
    if (signal?.aborted) stop();
    signal?.addEventListener('abort', stop, { once: true });
    child.on('error', (error) => {
      reject(new WorkError('encoder-failed', `${what} could not be started: ${error.message}`, { cause: error }));
    });
    child.on('close', (code, ended) => {
      signal?.removeEventListener('abort', stop);
      if (code === 0) resolve();
      else if (signal?.aborted) reject(new WorkError('encoder-failed', `${what} was stopped`));
      else if (errors.some((line) => line.includes(NO_SPACE)))
        reject(new WorkError('storage-full', 'The storage was full while the copy was encoded'));
      else if (errors.some((line) => line.includes(TOO_LARGE)))
        reject(new WorkError('file-too-large', 'The copy grew larger than the file system of its storage allows'));
      else reject(new WorkError('encoder-failed', `${what} ended with ${code ?? ended}: ${errors.slice(-3).join(' | ') || 'no message'}`));
    });
  });
}

/** Starts a program. Whoever starts it stops it: see `runProgram` for what is fed and waited for. */
export function startProgram(program: string, args: readonly string[], { signal, onLine, cwd }: ProgramOptions = {}): RunningProgram {
  const child = spawnGuarded(program, args, cwd);
  const errors: string[] = [];
  collectLines(child.stderr, errors, onLine);
  child.stdin.on('error', () => undefined); // the program's own message, by `end`, says more than a broken pipe
  const end = endOf(child, errors, program, signal);
  end.catch(() => undefined); // whoever waits for it hears of it
  return {
    stdout: child.stdout,
    errors,
    input: {
      write: (data) =>
        new Promise<void>((resolve, reject) => {
          child.stdin.write(data, (error) => {
            if (error)
              reject(new WorkError('encoder-failed', `${program} stopped reading: ${errors.slice(-2).join(' | ')}`, { cause: error }));
            else resolve();
          });
        }),
      writeAt: null,
    },
    closeInput: () => {
      child.stdin.end();
    },
    end,
    stop: () => {
      child.kill('SIGKILL');
    },
  };
}

interface RunOptions<Fed> extends ProgramOptions {
  /** Writes its input; nothing where there is none. */
  readonly feed?: ((input: MatroskaSink) => Promise<Fed>) | undefined;
  /** Takes its output; it is thrown away where nobody does. */
  readonly read?: (stdout: Readable) => Promise<void>;
}

/**
 * Runs a program to its end: feeds it, reads it, and stops it whatever happens.
 * @returns what feeding gave, and what it complained of. @throws WorkError as `RunningProgram.end`; what `feed` and `read` throw.
 */
export async function runProgram<Fed = undefined>(
  program: string,
  args: readonly string[],
  { feed, read, ...options }: RunOptions<Fed> = {},
): Promise<{ readonly fed: Fed; readonly errors: readonly string[] }> {
  const run = startProgram(program, args, options);
  try {
    const taken = read ? read(run.stdout) : Promise.resolve();
    taken.catch(() => undefined); // waited for below
    if (!read) run.stdout.resume();
    const fed = await feed?.(run.input).catch(async (error: unknown) => {
      // A program that stops reading has a reason of its own, and says it when it ends.
      if (error instanceof WorkError && error.code === 'encoder-failed') await run.end;
      throw error;
    });
    run.closeInput();
    // What it printed before it failed counts for whoever reads it.
    for (const ended of await Promise.allSettled([run.end, taken])) if (ended.status === 'rejected') throw ended.reason;
    return { fed: fed as Fed, errors: run.errors };
  } finally {
    run.stop();
  }
}

/** Runs a program and gives what it prints, at the most 4 MB. @throws WorkError `encoder-failed`. */
export async function capture(
  program: string,
  args: readonly string[],
  signal?: AbortSignal,
  cwd?: string,
): Promise<{ out: string; errors: readonly string[] }> {
  let out = '';
  const { errors } = await runProgram(program, args, {
    signal,
    cwd,
    read: async (stdout) => {
      for await (const chunk of stdout) if (out.length < MOST_CAPTURED) out += (chunk as Buffer).toString('utf8');
    },
  });
  return { out, errors };
}
