import { spawn } from 'node:child_process';

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
      ? spawn('sh', ['-c', `${quoted}${options.stdin ? ` < '${options.stdin}'` : ''}${options.stdout ? ` > '${options.stdout}'` : ''}`], {
          cwd: options.cwd,
          env: { ...process.env, ...options.env },
        })
      : spawn(program, args, { cwd: options.cwd, env: { ...process.env, ...options.env }, stdio: ['ignore', 'pipe', 'pipe'] });
    let output = '';
    let messages = '';
    child.stdout?.on('data', (chunk: Buffer) => (output += chunk.toString()));
    child.stderr?.on('data', (chunk: Buffer) => (messages = (messages + chunk.toString()).slice(-4000)));
    child.on('error', reject);
    child.on('close', (code) => {
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
