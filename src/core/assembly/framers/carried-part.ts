import { ptsBetween } from '../timeline';

/** A piece of one stream, with the stamp of what begins in it; -1 where nothing does. */
export interface CarriedPart {
  readonly data: Uint8Array;
  readonly pts90k: number;
}

/**
 * Of what stands before a cut, what may be shown at it or after: from the last beginning on that is no later than the cut.
 * @param begins whether a stamped piece needs nothing of what comes before it.
 */
export function partsFrom(parts: readonly CarriedPart[], cut90k: number, begins: (part: CarriedPart) => boolean): readonly CarriedPart[] {
  const isBeginning = (part: CarriedPart) => part.pts90k >= 0 && begins(part);
  const last = parts.findLastIndex((part) => isBeginning(part) && ptsBetween(part.pts90k, cut90k) >= 0);
  const first = last >= 0 ? last : parts.findIndex(isBeginning);
  return first < 0 ? [] : parts.slice(first);
}
