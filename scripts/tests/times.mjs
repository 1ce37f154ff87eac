// What tests take: noted file by file while they run, kept after a whole run, printed by `npm test -- --times`.
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.dirname(path.dirname(path.dirname(fileURLToPath(import.meta.url))));
/** Where a run notes what it takes. */
export const TIMES = path.join(root, '.cache', 'times');
const LAST = path.join(root, '.cache', 'times-of-last-run.json');
/** As they were on a quiet machine with two cores, before and after the tests were made faster; also the order in which files are begun. */
export const KEPT = path.join(root, 'scripts', 'tests', 'times.json');

const read = (file) => (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null);

/** Times of this run by file: several lines of one file are added up. */
function noted() {
  const file = path.join(TIMES, 'suites.ndjson');
  const suites = {};
  if (!existsSync(file)) return suites;
  for (const line of readFileSync(file, 'utf8').split('\n').filter(Boolean)) {
    const { file: name, seconds, processor } = JSON.parse(line);
    const before = suites[name] ?? { seconds: 0, processor: null };
    suites[name] = {
      seconds: before.seconds + seconds,
      processor: processor === null ? before.processor : (before.processor ?? 0) + processor,
    };
  }
  return suites;
}

/** @param {readonly { name: string, seconds: number }[]} parts */
export function keepTimes(parts) {
  const suites = noted();
  if (Object.keys(suites).length === 0) return;
  writeFileSync(LAST, JSON.stringify({ at: new Date().toISOString(), parts, suites }, null, 1));
}

const cell = (value) => (value === null || value === undefined ? '–' : value.toFixed(1)).padStart(9);

export function printTimes() {
  const [kept, last] = [read(KEPT), read(LAST)];
  const names = new Set([...Object.keys(kept?.suites ?? {}), ...Object.keys(last?.suites ?? {})]);
  const of = (name) => [kept?.suites[name], last?.suites[name]];
  const rows = [...names].sort((a, b) => (of(b)[1]?.seconds ?? of(b)[0]?.seconds ?? 0) - (of(a)[1]?.seconds ?? of(a)[0]?.seconds ?? 0));
  console.log('seconds, wall and processor: as kept, and in the last whole run here');
  console.log(`${'kept'.padStart(9)}${'cpu'.padStart(9)}${'last'.padStart(9)}${'cpu'.padStart(9)}`);
  for (const name of rows) {
    const [a, b] = of(name);
    console.log(`${cell(a?.seconds)}${cell(a?.processor)}${cell(b?.seconds)}${cell(b?.processor)}  ${name}`);
  }
  for (const [title, run] of [
    ['kept', kept],
    ['last', last],
  ])
    if (run) console.log(`${title}: ${run.parts.map((p) => `${p.name} ${p.seconds} s`).join(', ')}`);
}
