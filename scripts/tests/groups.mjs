// Files of tests that need nothing of their own, put together: a module registry for each costs more than what most of them do.
import { mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

const root = path.dirname(path.dirname(path.dirname(fileURLToPath(import.meta.url))));
export const GROUPS = path.join(root, '.cache', 'groups');
/** One for each worker. */
const COUNT = 2;
const ROOMS = ['src/core', 'src/contract', 'src/ui'];
/** Who starts programs, opens discs, changes what is global, or wants another environment stays by itself. */
const OWN = /test-support\/(discs|engine|encodes|ffmpeg|pieces)|node:child_process|jest\.|@jest-environment|process\.env|fake-indexeddb/;

/** @returns {string[]} files of tests that can share a registry, from the root on. */
export function pureSuites() {
  const found = [];
  const walk = (folder) => {
    for (const entry of readdirSync(path.join(root, folder), { withFileTypes: true })) {
      const inside = `${folder}/${entry.name}`;
      if (entry.isDirectory()) walk(inside);
      else if (/(?<!\.long)\.test\.ts$/.test(entry.name) && !OWN.test(readFileSync(path.join(root, inside), 'utf8'))) found.push(inside);
    }
  };
  for (const room of ROOMS) walk(room);
  return found.sort();
}

/** Writes the groups, the largest files spread over them. */
export function writeGroups() {
  rmSync(GROUPS, { recursive: true, force: true });
  mkdirSync(GROUPS, { recursive: true });
  const size = (file) => readFileSync(path.join(root, file)).byteLength;
  const suites = pureSuites().sort((a, b) => size(b) - size(a));
  for (let group = 0; group < COUNT; group++) {
    const own = suites.filter((_, i) => i % COUNT === group);
    const text = own.map(
      (file) => `describe(${JSON.stringify(file)}, () => {\n  require(${JSON.stringify(path.join(root, file))});\n});\n`,
    );
    writeFileSync(path.join(GROUPS, `together-${group + 1}.test.ts`), text.join(''));
  }
}
