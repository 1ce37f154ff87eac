import { spawn, type ChildProcess } from 'node:child_process';

const running = new Set<ChildProcess>();
// Who ends does not leave programs behind that work for nobody.
process.on('exit', () => {
  for (const child of running) child.kill('SIGKILL');
});

/** Runs a program to its end. @throws Error with the end of its messages when it fails. */
export function run(
  program: string,
  args: readonly string[],
  options: { cwd?: string; stdin?: string; stdout?: string; env?: Readonly<Record<string, string>> } = {},
): Promise<string> {
  return new Promise((resolve, reject) => {
    const shell = options.stdin ?? options.stdout;
    const quoted = [program, ...args].map((a) => `'${a.replaceAll("'", "'\\''")}'`).join(' ');
    const child = shell
      ? spawn(
          'sh',
          ['-c', `exec ${quoted}${options.stdin ? ` < '${options.stdin}'` : ''}${options.stdout ? ` > '${options.stdout}'` : ''}`],
          {
            cwd: options.cwd,
            env: { ...process.env, ...options.env },
          },
        )
      : spawn(program, args, { cwd: options.cwd, env: { ...process.env, ...options.env }, stdio: ['ignore', 'pipe', 'pipe'] });
    running.add(child);
    let output = '';
    let messages = '';
    child.stdout?.on('data', (chunk: Buffer) => (output += chunk.toString()));
    child.stderr?.on('data', (chunk: Buffer) => (messages = (messages + chunk.toString()).slice(-4000)));
    child.on('error', reject);
    child.on('close', (code) => {
      running.delete(child);
      if (code === 0) resolve(output);
      else reject(new Error(`${program} ${args.join(' ').slice(0, 400)}\nended with ${code}:\n${messages}`));
    });
  });
}

/** Runs tasks at most `width` at a time, in order of the list. */
export async function inParallel<T>(width: number, tasks: readonly (() => Promise<T>)[]): Promise<T[]> {
  const results: T[] = [];
  let next = 0;
  await Promise.all(
    Array.from({ length: width }, async () => {
      while (next < tasks.length) {
        const index = next++;
        const task = tasks[index];
        if (task) results[index] = await task();
      }
    }),
  );
  return results;
}
