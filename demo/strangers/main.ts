import { readFileSync } from 'node:fs';
import { Draw } from './draw';
import { drawDvd } from './dvd/draw-plan';
import { writeDvd } from './dvd/disc';
import { drawBluray } from './bluray/draw-plan';
import { drawLoss } from './bluray/draw-loss';
import { drawDvdLoss } from './dvd/draw-loss';
import { writeBluray } from './bluray/disc';
import { judgeBluray, judgeDvd, type Verdict } from './judge';
import { judgeLoss, judgeSpoilt } from './judge-hurt';
import { drawSpoilt } from './spoil';
import { shrunk, type DiscPlan } from './shrink';

/**
 * Random discs by an author who knows the standard and not our reader: npm run strangers -- COUNT SEED [dvd|bluray], of
 * each kind so many. Discs that once failed are kept, a line each, and tried before all others. A new one that fails is printed as small as it can be made.
 */
const [count = '100', firstSeed = '1', only] = process.argv.slice(2);
const KEPT = 'demo/strangers/kept.ndjson';

const written = (plan: DiscPlan): Uint8Array => ('sets' in plan ? writeDvd(plan) : writeBluray(plan)).image;

const judged = async (plan: DiscPlan): Promise<Verdict[]> => {
  try {
    if (plan.spoilt) {
      return await judgeSpoilt(plan, written({ ...plan, spoilt: undefined }), written(plan));
    }
    if ('sets' in plan) {
      const disc = writeDvd(plan);
      const isHurt = plan.sets.some((set) => set.vobs.some((vob) => vob.lost));
      return isHurt ? await judgeLoss(plan, disc.image) : await judgeDvd(plan, disc);
    }
    const disc = writeBluray(plan);
    return plan.clips.some((clip) => clip.lost) ? await judgeLoss(plan, disc.image) : await judgeBluray(plan, disc);
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
  const verdicts = await judged(JSON.parse(line) as DiscPlan);
  if (verdicts.length === 0) continue;
  failed++;
  console.log([`line ${i + 1} of ${KEPT}`, ...verdicts.slice(0, MOST_SAID).map(said)].join('\n'));
}
console.log(`${lines.length - failed} of ${lines.length} discs that once failed hold`);

const held = new Map<string, { discs: number; failed: number }>();
let failedNow = 0;
let drawn = 0;

async function trySpoilt(name: string, seed: number, plan: DiscPlan): Promise<void> {
  const draw = new Draw(seed);
  await tryOne(name, draw, { ...plan, spoilt: drawSpoilt(draw) });
}

async function tryOne(name: string, draw: Draw, plan: DiscPlan): Promise<void> {
  const verdicts = await judged(plan);
  drawn++;
  for (const kind of draw.kinds) {
    const key = `${name}: ${kind}`;
    const sum = held.get(key) ?? { discs: 0, failed: 0 };
    held.set(key, { discs: sum.discs + 1, failed: sum.failed + (verdicts.length > 0 ? 1 : 0) });
  }
  for (const { kind } of verdicts) sums[kind]++;
  if (verdicts.length === 0) return;
  failedNow++;
  console.log(
    [
      `${name}, seed ${plan.label.split('_')[1] ?? ''}${plan.spoilt ? ` ${JSON.stringify(plan.spoilt)}` : ''}`,
      ...verdicts.slice(0, MOST_SAID).map(said),
    ].join('\n'),
  );
  // Of each way to fail one is enough.
  const fresh = verdicts.map(wayOf).find((way) => !ways.has(way));
  if (fresh === undefined) return;
  ways.add(fresh);
  if (process.env['STRANGERS_AS_THEY_ARE']) return;
  const small = await shrunk(plan, async (one) => (await judged(one)).some((v) => wayOf(v) === fresh));
  console.log(['  as small as it can be made:', ...(await judged(small)).slice(0, 2).map(said), JSON.stringify(small)].join('\n'));
}

for (let seed = Number(firstSeed); seed < Number(firstSeed) + Number(count); seed++) {
  const draws = { dvd: new Draw(seed), bluray: new Draw(seed) };
  if (only !== 'bluray') {
    const plan = drawDvd(draws.dvd, seed);
    await tryOne('DVD', draws.dvd, plan);
    const draw = new Draw(seed);
    const hurt = drawDvdLoss(draw, plan);
    if (hurt) await tryOne('DVD with a loss', draw, hurt);
    await trySpoilt('DVD, spoilt', seed, plan);
  }
  if (only === 'dvd') continue;
  const plan = drawBluray(draws.bluray, seed);
  await tryOne('Blu-ray', draws.bluray, plan);
  const draw = new Draw(seed);
  await tryOne('Blu-ray with a loss', draw, drawLoss(draw, plan));
  await trySpoilt('Blu-ray, spoilt', seed, plan);
}
for (const [kind, { discs, failed: not }] of [...held].sort(([a], [b]) => (a < b ? -1 : 1)))
  console.log(`${String(discs - not).padStart(6)} of ${String(discs).padStart(6)}  ${kind}`);
console.log(`${drawn - failedNow} of ${drawn} discs held; lost ${sums.lost}, refused ${sums.refused}, accused ${sums.accused}`);
process.exitCode = failed + failedNow > 0 ? 1 : 0;
