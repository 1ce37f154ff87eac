// Says what is being done, how long it took last time on this machine, and how long now. Plain Node, no dependencies.
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const file = path.join(path.dirname(path.dirname(fileURLToPath(import.meta.url))), '.cache', 'steps.json');
/** Less than this is nothing to wait for. */
const WORTH_SAYING_MS = 2000;

function lastTimes() {
  try {
    return JSON.parse(readFileSync(file, 'utf8'));
  } catch {
    return {};
  }
}

const spoken = (ms) => (ms < 90_000 ? `${Math.max(1, Math.round(ms / 1000))} s` : `${(ms / 60_000).toFixed(1)} min`);

/**
 * Does a step. Where it turns out that nothing had to be done, its time is not remembered.
 * @param {string} name as it is said. @param {string} usual how long it takes where it was never done here, "about a minute".
 * @param {() => T | Promise<T>} work @template T
 */
export async function step(name, usual, work) {
  const last = lastTimes()[name];
  console.error(`${name} (${last ? `took ${spoken(last)} last time` : usual}) …`);
  const started = Date.now();
  const result = await work();
  const took = Date.now() - started;
  if (took >= WORTH_SAYING_MS) {
    console.error(`  done in ${spoken(took)}`);
    mkdirSync(path.dirname(file), { recursive: true });
    writeFileSync(file, JSON.stringify({ ...lastTimes(), [name]: took }, null, 1));
  }
  return result;
}
