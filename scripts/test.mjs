// npm test: sets itself up, then types, lint, format, the dependency rule, unit tests and browser tests. What it says stands in docs/contributing.md.
import { parseArgs } from 'node:util';
import { ensurePackages, ensurePrograms, root } from './ensure.mjs';
import { Run } from './tests/run.mjs';
import { printTimes } from './tests/times.mjs';

process.chdir(root);
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    /** The tests that take long, instead of the others. */
    long: { type: 'boolean', default: false },
    /** Only what a change since this commit touches. */
    since: { type: 'string' },
    /** What each file of tests takes: as it was kept, and in the last run here. */
    times: { type: 'boolean', default: false },
  },
});
if (values.times) {
  printTimes();
  process.exit(0);
}
await Promise.all([
  ensurePrograms([
    'ffmpeg',
    'ffprobe',
    'dvdauthor',
    'spumux',
    'genisoimage',
    '7z',
    'bd_list_titles',
    'setpriv',
    'chromium-headless-shell',
    'mediaconch',
    'tesseract',
  ]),
  ensurePackages('all'),
]);
const run = new Run();
const some = values.since !== undefined || positionals.length > 0;
await (some ? run.some(positionals, values.since ?? null, values.long) : values.long ? run.long() : run.all());
