// Says what is being done, how long it took last time on this machine, and how far it is where it takes longer. Plain Node, no dependencies.
import { spawn } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const file = path.join(path.dirname(path.dirname(fileURLToPath(import.meta.url))), '.cache', 'steps.json');
/** Less than this is nothing to wait for. */
const WORTH_SAYING_MS = 2000;
/** What takes longer says every so often that it is still at work. */
const SAY_AGAIN_MS = 10_000;

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
 * @param {string} name as it is said. @param {() => T | Promise<T>} work @template T
 * @param {() => string | null} [howFar] what can be said of its progress, where it is more than the time.
 */
export async function step(name, work, howFar = () => null) {
  const last = lastTimes()[name];
  const usual = last ? `took ${spoken(last)} last time` : 'the first time here';
  console.error(`${name} (${usual}) …`);
  const started = Date.now();
  const again = setInterval(() => {
    const passed = `${spoken(Date.now() - started)}${last ? ` of about ${spoken(last)}` : ''}`;
    console.error(`  ${name}: ${[howFar(), passed].filter(Boolean).join(', ')}`);
  }, SAY_AGAIN_MS);
  try {
    return await work();
  } finally {
    clearInterval(again);
    const took = Date.now() - started;
    if (took >= WORTH_SAYING_MS) {
      console.error(`  ${name}: done in ${spoken(took)}`);
      mkdirSync(path.dirname(file), { recursive: true });
      writeFileSync(file, JSON.stringify({ ...lastTimes(), [name]: took }, null, 1));
    }
  }
}

/**
 * Runs a program to its end, keeping what it says to itself. Ends this one, with all that it said, when it fails.
 * @param {string} program @param {readonly string[]} args @param {import('node:child_process').SpawnOptions & { onLine?: (line: string) => void, mayFail?: boolean }} options
 * @returns whether it ended well.
 */
export async function quietly(program, args, { onLine = () => undefined, mayFail = false, ...options } = {}) {
  const child = spawn(program, args, { ...options, stdio: ['ignore', 'pipe', 'pipe'] });
  const said = [];
  for (const stream of [child.stdout, child.stderr])
    stream.on('data', (part) => {
      said.push(part);
      const line = part.toString().trim().split('\n').at(-1);
      if (line) onLine(line);
    });
  const failure = await new Promise((resolve) => {
    child.on('error', (error) => resolve(error.message));
    child.on('close', (code, signal) => resolve(code === 0 ? null : `ended with ${code ?? signal}`));
  });
  if (failure === null) return true;
  console.error(`${Buffer.concat(said).toString()}\n${program} ${args.join(' ').slice(0, 200)} ${failure}`);
  if (!mayFail) process.exit(1);
  return false;
}
