// Names the browser tests that were skipped, and notes what each file took.
import { appendFileSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import { leftOut } from './left-out.mjs';
import { TIMES } from './times.mjs';

export default class BrowserReporter {
  onTestEnd(test, result) {
    const [file, ...names] = test.titlePath().filter(Boolean);
    if (result.status === 'skipped') leftOut(`e2e/${file}: ${names.join(' ')}`);
    mkdirSync(TIMES, { recursive: true });
    const line = { file: `e2e/${file}`, seconds: result.duration / 1000, processor: null };
    appendFileSync(path.join(TIMES, 'suites.ndjson'), `${JSON.stringify(line)}\n`);
  }
}
