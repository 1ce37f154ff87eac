// The built application over discs of the demo archive. To be imported when all packages are there.
import { spawn } from 'node:child_process';
import { existsSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { addressOf, announce, freePort } from './address.mjs';
import { holdDataFolder } from './lock.mjs';
import { writeDemoConfig } from './demo-config.mjs';
import { quietly, step } from './steps.mjs';
import { supervise } from './supervise.mjs';
import { root } from './ensure.mjs';

const author = path.join(root, 'dist', 'demo.mjs');
const LEAST_URGENT = 19;

/** The smallest disc that shows what there is to see, for the application to start with. @param {string} cache folder with the discs. */
export async function makeFirstDisc(cache) {
  // Whether it is as it would be made today is seen when the others are made.
  if (existsSync(path.join(cache, 'stamps', 'rope-walk'))) return;
  await step('making the first demo disc', () => quietly(process.execPath, [author, cache, 'first'], { cwd: root }));
}

/** All of them, before anything else. @param {string} cache */
export async function makeAllDiscs(cache) {
  await step('making the demo discs', () => quietly(process.execPath, [author, cache], { cwd: root }));
}

/** Makes what is missing while the application runs, and gives way to all that it does. @returns what ends it. */
function makeOthersBeside(cache) {
  const child = spawn(process.execPath, [author, cache], { cwd: root, stdio: ['ignore', 'ignore', 'inherit', 'ipc'] });
  if (child.pid !== undefined) os.setPriority(child.pid, LEAST_URGENT);
  child.on('exit', (code) => {
    if (code !== null && code !== 0 && code !== 143) console.error('some demo discs could not be made: those that are there can be used');
  });
  return () => child.kill('SIGTERM');
}

/**
 * @param {string} cache folder with the discs. @param {string} data where this run keeps its own things.
 * @param {number} wished the port, or the next that is free.
 */
export async function startDemo(cache, data, wished) {
  const { tell } = holdDataFolder(data);
  const { file, dataFolder } = writeDemoConfig(cache, data);
  const port = await freePort(wished);
  const started = supervise({ config: file, dataFolder, port });
  tell(addressOf(port));
  await announce(port);
  const stopMaking = makeOthersBeside(cache);
  process.on('exit', stopMaking);
  return { ...started, address: addressOf(port) };
}
