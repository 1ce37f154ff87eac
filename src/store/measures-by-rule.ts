import { quietSource, readableSources } from './sources';
import type { HouseRules } from '@/core/reels';
import { catalogue } from './archive';
import type { DiscRecord } from './db';
import { keepMeasure } from './discs';
import { proposalOf } from './draft';
import { currentEngine, onArrival } from './engine';
import { measure } from './looks';
import { readRules } from './rules';

/** Measuring by house rule: discs that were just read, or are being worked on, one title after another, beside everything else. */

/** Titles of one disc that are measured without being asked for. */
const MOST_TITLES = 12;
const LOOK_AGAIN_MS = 3000;
/** How often a title is begun that fails: the server may be starting anew, or the disc be out for a moment. */
const MOST_TRIES = 3;

const due: string[] = [];
const asked = new Set<string>();
const tries = new Map<string, number>();

/** Says that a disc may want measuring. The same disc again does nothing. */
export function considerMeasuring(fingerprint: string): void {
  if (asked.has(fingerprint)) return;
  asked.add(fingerprint);
  due.push(fingerprint);
}

/** What of a disc the rules take and nobody has measured, or null where there is nothing left. */
function titleLeft(disc: DiscRecord, rules: HouseRules): number | null {
  const titles = [...new Set(proposalOf(disc, rules).reels.flatMap((r) => r.pieces.map((p) => p.title)))].slice(0, MOST_TITLES);
  const isDue = (n: number) =>
    (tries.get(tryKey(disc.fingerprint, n)) ?? 0) < MOST_TRIES && disc.reading.titles.find((t) => t.number === n)?.measured === null;
  return titles.find(isDue) ?? null;
}

const tryKey = (fingerprint: string, title: number) => `${fingerprint} ${title}`;

/**
 * Measures the next title that the rules ask for. A disc that can not be read just now (its drive is at work, its storage away)
 * stays due and holds up no other.
 * @returns false where there is nothing to do now
 */
async function measureNext(signal: AbortSignal): Promise<boolean> {
  const rules = await readRules();
  if (!rules.measure) return false;
  for (const fingerprint of [...due]) {
    const disc = await catalogue().discs.get(fingerprint);
    const title = disc ? titleLeft(disc, rules) : null;
    if (!disc || title === null) {
      due.splice(due.indexOf(fingerprint), 1);
      // A disc that is not on the shelf, or no longer: when it comes, it is asked for again.
      if (!disc) asked.delete(fingerprint);
      continue;
    }
    const engine = currentEngine();
    const source = quietSource(readableSources(disc, engine), engine);
    if (!source) continue;
    tries.set(tryKey(fingerprint, title), (tries.get(tryKey(fingerprint, title)) ?? 0) + 1);
    let kept = Promise.resolve();
    await measure(
      { source: source.ref, reading: disc.reading, title },
      false,
      (line) => {
        if (line.type === 'measured') kept = keepMeasure(catalogue(), fingerprint, title, line.measured);
      },
      signal,
    );
    await kept;
    return true;
  }
  return false;
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
      // What fails is begun anew a little later, a few times; it can always be asked for on the Bench.
      const more = await measureNext(signal).catch(() => false);
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
