import type { Segment, Title } from '../reading';
import { firstAngle } from './evidence';
import type { Difference } from './model';

/** What two titles share, in order, and where they differ. */
export interface Comparison {
  /** Playing time that both show, in the same order. */
  readonly sharedMs: number;
  readonly differences: readonly Difference[];
}

/** More than this is compared only by its beginning and end: the table of the search grows with the product. */
const MOST_PARTS = 1500;

/**
 * Aligns the segments of two titles: the longest run of shared playing time in the same order, by dynamic programming.
 * @param segments all of the reading, by id.
 */
export function compareTitles(a: Title, b: Title, segments: ReadonlyMap<string, Segment>): Comparison {
  const [left, right] = [firstAngle(a), firstAngle(b)];
  const lengthOf = (id: string) => segments.get(id)?.durationMs ?? 0;
  let head = 0;
  while (head < left.length && head < right.length && left[head] === right[head]) head++;
  let tail = 0;
  while (tail < left.length - head && tail < right.length - head && left[left.length - 1 - tail] === right[right.length - 1 - tail]) tail++;
  const middle = align(left.slice(head, left.length - tail), right.slice(head, right.length - tail), lengthOf);
  const pairs = [
    ...Array.from({ length: head }, (_, i) => [i, i] as const),
    ...middle.map(([i, j]) => [i + head, j + head] as const),
    ...Array.from({ length: tail }, (_, i) => [left.length - tail + i, right.length - tail + i] as const),
  ];
  const starts = (ids: readonly string[]) => {
    const times = [0];
    for (const id of ids) times.push((times[times.length - 1] ?? 0) + lengthOf(id));
    return times;
  };
  const [leftAt, rightAt] = [starts(left), starts(right)];
  const at = (times: readonly number[], i: number) => times[i] ?? 0;
  const differences: Difference[] = [];
  let [i, j, sharedMs] = [0, 0, 0];
  for (const [toI, toJ] of [...pairs, [left.length, right.length] as const]) {
    const ms = at(leftAt, toI) - at(leftAt, i);
    const otherMs = at(rightAt, toJ) - at(rightAt, j);
    if (ms > 0 || otherMs > 0) differences.push({ atMs: at(leftAt, i), ms, otherAtMs: at(rightAt, j), otherMs });
    sharedMs += lengthOf(left[toI] ?? '');
    [i, j] = [toI + 1, toJ + 1];
  }
  return { sharedMs, differences };
}

/** Pairs of places with the same segment, in order, of the greatest weight together. */
function align(left: readonly string[], right: readonly string[], weight: (id: string) => number): (readonly [number, number])[] {
  if (left.length === 0 || right.length === 0 || left.length > MOST_PARTS || right.length > MOST_PARTS) return [];
  const width = right.length + 1;
  const best = new Float64Array((left.length + 1) * width);
  for (let i = left.length - 1; i >= 0; i--) {
    for (let j = right.length - 1; j >= 0; j--) {
      const skip = Math.max(best[(i + 1) * width + j] ?? 0, best[i * width + j + 1] ?? 0);
      const both = left[i] === right[j] ? (best[(i + 1) * width + j + 1] ?? 0) + Math.max(1, weight(left[i] ?? '')) : 0;
      best[i * width + j] = Math.max(skip, both);
    }
  }
  const pairs: (readonly [number, number])[] = [];
  for (let i = 0, j = 0; i < left.length && j < right.length;) {
    const here = best[i * width + j] ?? 0;
    if (left[i] === right[j] && here === (best[(i + 1) * width + j + 1] ?? 0) + Math.max(1, weight(left[i] ?? ''))) pairs.push([i++, j++]);
    else if (here === (best[(i + 1) * width + j] ?? 0)) i++;
    else j++;
  }
  return pairs;
}
