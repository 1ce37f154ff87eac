// Starts engine and web server side by side, starts again what dies, and ends both together.
import { spawn } from 'node:child_process';
import path from 'node:path';
import { root } from './ensure.mjs';

const RESTART_MS = 500;
const KILL_MS = 3000;

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
      console.error(`${name} ended (${signal ?? code}); starting it again`);
      setTimeout(() => stopping || start(name, args, env), RESTART_MS);
    });
    return child;
  };
  start('engine', [path.join('dist', 'engine.mjs'), config]);
  start('web', ['node_modules/next/dist/bin/next', dev ? 'dev' : 'start', '-H', '127.0.0.1', '-p', String(port)], {
    CAREFUL_VAULT_SOCKET: path.join(dataFolder, 'engine.sock'),
    CAREFUL_VAULT_PORT: String(port),
  });
  const stop = () => {
    if (stopping) return;
    stopping = true;
    for (const child of Object.values(parts)) child.kill('SIGTERM');
    setTimeout(() => {
      for (const child of Object.values(parts)) child.kill('SIGKILL');
      process.exit(0);
    }, KILL_MS).unref();
    let left = Object.keys(parts).length;
    for (const child of Object.values(parts)) child.on('exit', () => --left === 0 && process.exit(0));
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  return { parts, stop };
}
