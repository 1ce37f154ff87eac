/** A stereoscopic picture's depth, as far as it says which eye is which. */

/** Grey pictures of both eyes, row by row, of the same size. */
export interface EyePair {
  readonly left: Uint8Array;
  readonly right: Uint8Array;
  readonly width: number;
  readonly height: number;
}

/** How far the right eye's view of things lies to the right of the left eye's, percent of the width: more is farther away, less than 0 stands before the screen. */
export interface Depth {
  readonly above: number;
  readonly below: number;
  /** Of what is below, where subtitles stand. */
  readonly nearest: number;
  readonly farthest: number;
}

const BLOCK = 16;
/** Things are looked for so far to either side, in shares of the width. */
const REACH = 0.06;
/** Blocks without edges lie anywhere: mean step from one sample to the next, that one must have. */
const LEAST_EDGES = 3;
/** A place must be so much better than any other, and this good: mean difference of samples. */
const [CLEARLY, GOOD] = [0.75, 14];
const LEAST_BLOCKS = 3;

/** @param sorted numbers. */
const median = (sorted: readonly number[]): number => sorted[Math.floor(sorted.length / 2)] ?? 0;

/** Where a block of the left picture stands in the right one, in samples; null where nobody can tell. */
function disparityOf({ left, right, width }: EyePair, x: number, y: number): number | null {
  let edges = 0;
  for (let row = y; row < y + BLOCK; row++)
    for (let column = x + 1; column < x + BLOCK; column++)
      edges += Math.abs((left[row * width + column] as number) - (left[row * width + column - 1] as number));
  if (edges < LEAST_EDGES * BLOCK * BLOCK) return null;
  const reach = Math.round(width * REACH);
  const costs: { readonly d: number; readonly cost: number }[] = [];
  for (let d = -reach; d <= reach; d++) {
    if (x + d < 0 || x + d + BLOCK > width) continue;
    let cost = 0;
    for (let row = y; row < y + BLOCK; row++) {
      const at = row * width + x;
      for (let column = 0; column < BLOCK; column++) cost += Math.abs((left[at + column] as number) - (right[at + column + d] as number));
    }
    costs.push({ d, cost });
  }
  const best = costs.reduce((a, b) => (b.cost < a.cost ? b : a), { d: 0, cost: Number.POSITIVE_INFINITY });
  const other = Math.min(...costs.filter((c) => Math.abs(c.d - best.d) > 2).map((c) => c.cost));
  return best.cost <= GOOD * BLOCK * BLOCK && best.cost < CLEARLY * other ? best.d : null;
}

/** Distances of what can be told between two rows of a picture, the nearest first; null where that is too little. */
function distances(pair: EyePair, from: number, to: number): readonly number[] | null {
  const { width } = pair;
  const found: number[] = [];
  for (let y = from; y + BLOCK <= to; y += BLOCK)
    for (let x = 0; x + BLOCK <= width; x += BLOCK) {
      const d = disparityOf(pair, x, y);
      if (d !== null) found.push((d / width) * 100);
    }
  return found.length >= LEAST_BLOCKS ? found.sort((a, b) => a - b) : null;
}

/** A block or two that were taken for others are none of the picture's depth: so many in a hundred are left out at either end. */
const LEFT_OUT = 0.05;

/** How far away what is in the upper and in the lower third of a picture is; null where too little of it can be told. */
export function depthOf(pair: EyePair): Depth | null {
  const { height } = pair;
  const above = distances(pair, 0, Math.floor(height / 3));
  const below = distances(pair, Math.floor((height * 2) / 3), height);
  if (!above || !below) return null;
  const last = below.length - 1;
  const out = Math.ceil(last * LEFT_OUT);
  return { above: median(above), below: median(below), nearest: below[out] ?? 0, farthest: below[last - out] ?? 0 };
}

/** From the nearest to the farthest of what was seen in the lower thirds of pictures, percent of the width; null where none of them says anything. */
export function reachBelow(depths: readonly (Depth | null)[]): { readonly nearest: number; readonly farthest: number } | null {
  const told = depths.filter((d) => d !== null);
  if (told.length === 0) return null;
  return { nearest: Math.min(...told.map((d) => d.nearest)), farthest: Math.max(...told.map((d) => d.farthest)) };
}

/** Less than this, in percent of the width, says nothing. */
const LEAST_DEPTH = 0.4;
/** What pictures of a title say of the eyes' order: how many say anything, and in how many what is above stands nearer. */
export function eyeOrderOf(depths: readonly (Depth | null)[]): { readonly told: number; readonly swapped: number } {
  const steps = depths.flatMap((d) => (d && Math.abs(d.above - d.below) >= LEAST_DEPTH ? [d.above - d.below] : []));
  return { told: steps.length, swapped: steps.filter((step) => step < 0).length };
}
