// Node's environment of Jest, that writes down how long a file of tests took, and how much processor it and what it started used.
import { appendFileSync, mkdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { TestEnvironment } from 'jest-environment-node';

const CLOCK_TICKS = 100;

/** Seconds of processor of this process and of its children that have ended: proc(5), fields 14 to 17 of /proc/PID/stat. */
function processorSeconds() {
  try {
    const text = readFileSync('/proc/self/stat', 'utf8');
    const fields = text.slice(text.lastIndexOf(')') + 2).split(' ');
    return fields.slice(11, 15).reduce((sum, ticks) => sum + Number(ticks), 0) / CLOCK_TICKS;
  } catch {
    return 0; // a system without /proc
  }
}

export default class TimedEnvironment extends TestEnvironment {
  constructor(config, context) {
    super(config, context);
    this.file = path.relative(config.projectConfig.rootDir, context.testPath);
    this.root = config.projectConfig.rootDir;
  }

  async setup() {
    await super.setup();
    this.begun = { at: Date.now(), processor: processorSeconds() };
  }

  async teardown() {
    await super.teardown();
    const folder = path.join(this.root, '.cache', 'times');
    mkdirSync(folder, { recursive: true });
    const seconds = (Date.now() - this.begun.at) / 1000;
    const processor = processorSeconds() - this.begun.processor;
    appendFileSync(path.join(folder, 'suites.ndjson'), `${JSON.stringify({ file: this.file, seconds, processor })}\n`);
  }
}
