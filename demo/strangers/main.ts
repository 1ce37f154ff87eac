import { readFileSync } from 'node:fs';
import { Draw } from './draw';
import { drawDvd } from './dvd/draw-plan';
import { writeDvd } from './dvd/disc';
import type { DvdPlan } from './dvd/plan';
import { judgeDvd, type Verdict } from './judge';
import { shrunk } from './shrink';

/**
 * Random discs by an author who knows the standard and not our reader: npm run strangers -- COUNT SEED. Discs that once failed are
 * kept, a line each, and tried before all others. A new one that fails is printed as small as it can be made.
 */
const [count = '100', firstSeed = '1'] = process.argv.slice(2);
const KEPT = 'demo/strangers/kept.ndjson';

const judged = async (plan: DvdPlan): Promise<Verdict[]> => {
  try {
    return await judgeDvd(plan, writeDvd(plan));
  } catch (error) {
    return [{ kind: 'refused', title: null, what: String(error instanceof Error ? (error.stack ?? error.message) : error) }];
  }
};
const said = ({ kind, title, what }: Verdict) => `  ${kind}: title ${title ?? '-'}: ${what}`;
const sums = { lost: 0, refused: 0, accused: 0 };
const MOST_SAID = 6;
/** What is said without the numbers and names in it. */
const wayOf = ({ kind, what }: Verdict) => `${kind} ${what.replace(/\d+(\.\d+)?|\b[a-z]{2}\b/g, '')}`;
const ways = new Set<string>();

let failed = 0;
const lines = readFileSync(KEPT, 'utf8').split('\n').filter(Boolean);
for (const [i, line] of lines.entries()) {
  const verdicts = await judged(JSON.parse(line) as DvdPlan);
  if (verdicts.length === 0) continue;
  failed++;
  console.log([`line ${i + 1} of ${KEPT}`, ...verdicts.slice(0, MOST_SAID).map(said)].join('\n'));
}
console.log(`${lines.length - failed} of ${lines.length} discs that once failed hold`);

const held = new Map<string, { discs: number; failed: number }>();
let failedNow = 0;
for (let seed = Number(firstSeed); seed < Number(firstSeed) + Number(count); seed++) {
  const draw = new Draw(seed);
  const plan = drawDvd(draw, seed);
  const verdicts = await judged(plan);
  for (const kind of draw.kinds) {
    const sum = held.get(kind) ?? { discs: 0, failed: 0 };
    held.set(kind, { discs: sum.discs + 1, failed: sum.failed + (verdicts.length > 0 ? 1 : 0) });
  }
  for (const { kind } of verdicts) sums[kind]++;
  if (verdicts.length === 0) continue;
  failedNow++;
  console.log([`seed ${seed}`, ...verdicts.slice(0, MOST_SAID).map(said)].join('\n'));
  // Of each way to fail one is enough.
  const fresh = verdicts.map(wayOf).find((way) => !ways.has(way));
  if (fresh === undefined) continue;
  ways.add(fresh);
  const small = await shrunk(plan, async (one) => (await judged(one)).some((v) => wayOf(v) === fresh));
  console.log(['  as small as it can be made:', ...(await judged(small)).slice(0, 2).map(said), JSON.stringify(small)].join('\n'));
}
for (const [kind, { discs, failed: not }] of [...held].sort(([a], [b]) => (a < b ? -1 : 1)))
  console.log(`${String(discs - not).padStart(6)} of ${String(discs).padStart(6)}  ${kind}`);
console.log(`${Number(count) - failedNow} of ${count} discs held; lost ${sums.lost}, refused ${sums.refused}, accused ${sums.accused}`);
process.exitCode = failed + failedNow > 0 ? 1 : 0;
