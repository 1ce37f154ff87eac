import { part, type Where } from '../bytes';

/** What a title set is allowed to show at each parental level; index 0 is level 1. A word of 16 bits that program chains are matched with. */
export type ParentalFields = readonly number[];

const LEVELS = 8;
const MAX_TITLE_SETS = 99;

/**
 * Reads the parental management table of the first country. DVD-Video: PTL_MAIT, of VIDEO_TS.IFO.
 * @param data from the table's first byte on.
 * @returns by title set number, from 1; empty where the table names no country.
 * @throws DiscError where it is cut off.
 */
export function parseParentalTable(data: Uint8Array, where: Where): ReadonlyMap<number, ParentalFields> {
  const head = part(data, 0, 16, where);
  const view = new DataView(head.buffer, head.byteOffset, head.byteLength);
  const sets = Math.min(view.getUint16(2), MAX_TITLE_SETS);
  if (view.getUint16(0) === 0) return new Map();
  // Eight rows of a word per title set, after one for the manager itself; the first row is level 8.
  const columns = view.getUint16(2) + 1;
  const rows = part(data, view.getUint16(12), LEVELS * columns * 2, where);
  const words = new DataView(rows.buffer, rows.byteOffset, rows.byteLength);
  return new Map(
    Array.from({ length: sets }, (_, i) => [
      i + 1,
      Array.from({ length: LEVELS }, (__, level) => words.getUint16(((LEVELS - 1 - level) * columns + i + 1) * 2)),
    ]),
  );
}

/** Place of a program chain among those of which a player takes one by the parental level. DVD-Video: VTS_PGC_CAT. */
export interface ParentalPlace {
  readonly mask: number;
  /** It is the first of its block. */
  readonly first: boolean;
}

/** Reads the category of a program chain's search pointer. @returns null for a chain that stands for itself. */
export function parentalPlace(category: number): ParentalPlace | null {
  const mode = (category >>> 22) & 3;
  const type = (category >>> 20) & 3;
  return mode !== 0 && type === 1 ? { mask: category & 0xffff, first: mode === 1 } : null;
}

/** Levels (1 to 8) at which a chain of this mask is the one that is shown. */
export const levelsOf = (mask: number, fields: ParentalFields): number[] =>
  fields.flatMap((field, i) => ((field & mask) !== 0 ? [i + 1] : []));

/**
 * The chains of which a player shows one, where this chain is one of them.
 * @param chain number from 1. @returns numbers from 1, this one included; only itself where it stands alone.
 */
export function blockOf(places: readonly (ParentalPlace | null)[], chain: number): number[] {
  if (!places[chain - 1]) return [chain];
  let first = chain;
  while (first > 1 && places[first - 2] && !places[first - 1]?.first) first--;
  const block = [first];
  for (let next = first + 1; places[next - 1] && !places[next - 1]?.first; next++) block.push(next);
  return block;
}
