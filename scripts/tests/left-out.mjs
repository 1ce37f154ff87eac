// What could not be tested here: told by whoever leaves it out, printed at the end by name, and counted.
import { appendFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { TIMES } from './times.mjs';

const file = path.join(TIMES, 'left-out.txt');

/** @param {string} [what] to be added. @returns {string[]} all that was left out in this run. */
export function leftOut(what) {
  if (what !== undefined) {
    mkdirSync(TIMES, { recursive: true });
    appendFileSync(file, `${what.replaceAll('\n', ' ')}\n`);
  }
  return existsSync(file) ? [...new Set(readFileSync(file, 'utf8').split('\n').filter(Boolean))] : [];
}
