// The longest files of tests first, by what they took on a quiet machine: so that no core is left with one of them at the end.
import { existsSync, readFileSync } from 'node:fs';
import path from 'node:path';
import sequencer from '@jest/test-sequencer';
import { KEPT } from './times.mjs';

const Sequencer = sequencer.default ?? sequencer;
const kept = existsSync(KEPT) ? JSON.parse(readFileSync(KEPT, 'utf8')).suites : {};

export default class LongestFirst extends Sequencer {
  sort(tests) {
    const seconds = ({ context, path: file }) =>
      kept[path.relative(context.config.rootDir, file)]?.seconds ?? (/together/.test(file) ? 60 : 5);
    return [...tests].sort((a, b) => seconds(b) - seconds(a));
  }
}
