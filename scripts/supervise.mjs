// Starts engine and web server side by side, starts again what dies, and ends both together.
import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { root } from './ensure.mjs';

const RESTART_MS = 500;
const KILL_MS = 3000;
const WATCH_MS = 1000;
/** The engine's word for: another has this data folder (sysexits: unavailable). */
const TAKEN = 69;

/** Parent and grandparent of this process: proc(5), field 4 of /proc/PID/stat. */
function ancestors() {
  try {
    const text = readFileSync(`/proc/${process.ppid}/stat`, 'utf8');
    return `${process.ppid} ${text.slice(text.lastIndexOf(')') + 2).split(' ')[1]}`;
  } catch {
    return `${process.ppid}`;
  }
}

/**
 * @param {{ config: string, dataFolder: string, port: number, dev?: boolean }} options
 * @returns what tests need to hurt the parts: their processes.
 */
export function supervise({ config, dataFolder, port, dev = false }) {
  const parts = {};
  let stopping = false;
  const start = (name, args, env = {}) => {
    const child = spawn(process.execPath, args, {
      cwd: root,
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: dev ? 'development' : 'production', ...env },
    });
    parts[name] = child;
    child.on('exit', (code, signal) => {
      if (stopping) return;
      if (name === 'engine' && code === TAKEN) {
        console.error('another engine works on this data folder: stop it first');
        process.exitCode = TAKEN;
        stop();
        return;
      }
      console.error(`${name} ended (${signal ?? code}); starting it again`);
      setTimeout(() => stopping || start(name, args, env), RESTART_MS);
    });
    return child;
  };
  // A place that hangs holds a thread: there are more of them than places.
  start('engine', [path.join('dist', 'engine.mjs'), config], { UV_THREADPOOL_SIZE: '16' });
  start('web', [path.join('scripts', 'web.mjs'), dev ? 'dev' : 'start', '-H', '127.0.0.1', '-p', String(port)], {
    CAREFUL_VAULT_SOCKET: path.join(dataFolder, 'engine.sock'),
    CAREFUL_VAULT_PORT: String(port),
  });
  const stop = () => {
    if (stopping) return;
    stopping = true;
    for (const child of Object.values(parts)) child.kill('SIGTERM');
    setTimeout(() => {
      for (const child of Object.values(parts)) child.kill('SIGKILL');
      process.exit();
    }, KILL_MS).unref();
    let left = Object.keys(parts).length;
    for (const child of Object.values(parts)) child.on('exit', () => --left === 0 && process.exit());
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, stop);
  // npm that is killed says nothing, and leaves the shell between: then that one has another parent.
  const starters = process.env.npm_lifecycle_event === undefined ? null : ancestors();
  if (starters)
    setInterval(() => {
      if (ancestors() !== starters) stop();
    }, WATCH_MS).unref();
  return { parts, stop };
}
