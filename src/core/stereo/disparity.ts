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
}

const BLOCK = 16;
/** Things are looked for so far to either side, in shares of the width. */
const REACH = 0.06;
/** Blocks without edges lie anywhere: mean step from one sample to the next, that one must have. */
const LEAST_EDGES = 3;
/** A place must be so much better than any other, and this good: mean difference of samples. */
const [CLEARLY, GOOD] = [0.75, 14];
const LEAST_BLOCKS = 3;

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;

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

/** How far away what is in the upper and in the lower third of a picture is; null where too little of it can be told. */
export function depthOf(pair: EyePair): Depth | null {
  const { width, height } = pair;
  const third = (from: number, to: number): number | null => {
    const found: number[] = [];
    for (let y = from; y + BLOCK <= to; y += BLOCK)
      for (let x = 0; x + BLOCK <= width; x += BLOCK) {
        const d = disparityOf(pair, x, y);
        if (d !== null) found.push((d / width) * 100);
      }
    return found.length >= LEAST_BLOCKS ? median(found) : null;
  };
  const [above, below] = [third(0, Math.floor(height / 3)), third(Math.floor((height * 2) / 3), height)];
  return above === null || below === null ? null : { above, below };
}

/** Less than this, in percent of the width, says nothing. */
const LEAST_DEPTH = 0.4;
/** What pictures of a title say of the eyes' order: how many say anything, and in how many what is above stands nearer. */
export function eyeOrderOf(depths: readonly (Depth | null)[]): { readonly told: number; readonly swapped: number } {
  const steps = depths.flatMap((d) => (d && Math.abs(d.above - d.below) >= LEAST_DEPTH ? [d.above - d.below] : []));
  return { told: steps.length, swapped: steps.filter((step) => step < 0).length };
}
