import { quietSource, readableSources } from './sources';
import { catalogue } from './archive';
import { keepMeasure } from './discs';
import { proposalOf } from './draft';
import { currentEngine, onArrival } from './engine';
import { measure } from './looks';
import { readRules } from './rules';

/** Measuring by house rule: discs that were just read, or are being worked on, one title after another, beside everything else. */

/** Titles of one disc that are measured without being asked for. */
const MOST_TITLES = 12;
const LOOK_AGAIN_MS = 3000;

const due: string[] = [];
const asked = new Set<string>();
const tried = new Set<string>();

/** Says that a disc may want measuring. The same disc again does nothing. */
export function considerMeasuring(fingerprint: string): void {
  if (asked.has(fingerprint)) return;
  asked.add(fingerprint);
  due.push(fingerprint);
}

/** Measures the next title that the rules ask for. @returns false where there is nothing to do now. */
async function measureNext(signal: AbortSignal): Promise<boolean> {
  const [fingerprint] = due;
  if (fingerprint === undefined) return false;
  const rules = await readRules();
  const disc = rules.measure ? await catalogue().discs.get(fingerprint) : undefined;
  if (!disc) {
    if (rules.measure) due.shift();
    return false;
  }
  const engine = currentEngine();
  const source = quietSource(readableSources(disc, engine), engine);
  const titles = [...new Set(proposalOf(disc, rules).reels.flatMap((r) => r.pieces.map((p) => p.title)))].slice(0, MOST_TITLES);
  const key = (title: number) => `${fingerprint} ${title}`;
  const title = titles.find((n) => !tried.has(key(n)) && disc.reading.titles.find((t) => t.number === n)?.measured === null);
  if (!source || title === undefined) {
    due.shift();
    return true;
  }
  tried.add(key(title));
  await measure(
    { source: source.ref, reading: disc.reading, title },
    false,
    (line) => {
      if (line.type === 'measured') void keepMeasure(catalogue(), fingerprint, title, line.measured);
    },
    signal,
  );
  return true;
}

/** Waits, but not longer than the page is there. */
const rest = (ms: number, signal: AbortSignal) =>
  new Promise<void>((resolve) => {
    const timer = setTimeout(resolve, ms);
    signal.addEventListener('abort', () => {
      clearTimeout(timer);
      resolve();
    });
  });

/** Goes on measuring while the page is open. @returns what ends it. */
export function measureByRule(): () => void {
  const controller = new AbortController();
  const { signal } = controller;
  const run = async () => {
    while (!signal.aborted) {
      // What can not be measured now is left: it can still be asked for on the Bench.
      const more = await measureNext(signal).catch(() => true);
      if (!more) await rest(LOOK_AGAIN_MS, signal);
    }
  };
  void run();
  const end = onArrival(considerMeasuring);
  return () => {
    end();
    controller.abort();
  };
}
