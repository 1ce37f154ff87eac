import { BitWriter } from './bit-writer';
import { UnitBuffer, escapedOffset, putData } from './escaping';
import { COUNTS, COUNT_BITS } from './parameter-sets';
import { B, I, type Marking, type SliceHeader } from './slice-header';
import type { Picture } from './view';

/** What a head says of its picture, whatever slice it is of. */
export interface PictureHead {
  readonly idr: boolean;
  readonly idrId: number;
  readonly referenceIdc: number;
  readonly frameNum: number;
  /** Of the top field and of the bottom field. */
  readonly orders: readonly [number, number];
  readonly framesOnly: boolean;
  readonly commands: readonly Marking[];
}

/** An entry of a list: a frame number, or a long-term index. */
export interface Entry {
  readonly frameNum: number;
  readonly long: number | null;
}

/** A picture as it is referred to now. */
export const entryOf = ({ outFrameNum, outLong }: Picture): Entry => ({ frameNum: outFrameNum, long: outLong });

/** The part of a head between its picture set and its lists. */
export function putPicture(w: BitWriter, head: PictureHead): void {
  w.write(COUNT_BITS, head.frameNum);
  if (!head.framesOnly) w.flag(false);
  if (head.idr) w.ue(head.idrId);
  w.write(COUNT_BITS, ((head.orders[0] % COUNTS) + COUNTS) % COUNTS);
  w.se(head.orders[1] - head.orders[0]);
}

/** A command for each entry of a list. 7.3.3.1: a number is a distance from the one before, a whole turn for the same again. */
export function putList(w: BitWriter, list: readonly Entry[], frameNum: number): void {
  w.flag(true);
  let predicted = frameNum;
  for (const entry of list) {
    if (entry.long !== null) {
      w.ue(2);
      w.ue(entry.long);
      continue;
    }
    w.ue(0);
    w.ue(((predicted - entry.frameNum + COUNTS) % COUNTS || COUNTS) - 1);
    predicted = entry.frameNum;
  }
  w.ue(3);
}

/** `dec_ref_pic_marking`; nothing of a picture that is no reference. */
export function putMarking(w: BitWriter, { idr, referenceIdc, commands }: PictureHead): void {
  if (referenceIdc === 0) return;
  if (idr) {
    w.write(2, 0);
    return;
  }
  w.flag(commands.length > 0);
  if (commands.length === 0) return;
  for (const command of commands) for (const value of command) w.ue(value);
  w.ue(0);
}

/** First byte of a slice's unit. */
export const sliceByte = ({ idr, referenceIdc }: PictureHead): number => (referenceIdc << 5) | (idr ? 5 : 1);

/** Writes the head of a slice anew. @param set number of its picture set. @param redundant that set has a count of redundant pictures. */
function putHead(
  w: BitWriter,
  header: SliceHeader,
  head: PictureHead,
  lists: readonly (readonly Entry[])[],
  set: number,
  redundant: boolean,
) {
  w.clear();
  w.write(8, sliceByte(head));
  w.ue(header.firstBlock);
  w.ue(header.type);
  w.ue(set);
  putPicture(w, head);
  if (redundant) w.ue(0);
  if (header.kind === B) w.flag(header.spatialDirect);
  if (header.kind !== I) {
    w.flag(header.overrides);
    if (header.overrides) for (const count of header.active.slice(0, header.kind === B ? 2 : 1)) w.ue(count - 1);
    for (const list of lists.slice(0, header.kind === B ? 2 : 1)) putList(w, list, head.frameNum);
  }
  w.copy(header.plain, header.weightsFrom, header.weightsTo);
  putMarking(w, head);
  w.copy(header.plain, header.restFrom, header.dataAt);
}

/** Numbers under which picture sets stand: of each content one for each length of its code, with a count of redundant pictures and without. */
export interface SetNumbers {
  /** @param length which of the lengths, 0 to 3. */
  readonly of: (length: number, redundant: boolean) => number;
}

const scratch = new BitWriter();

/**
 * Writes a slice under a new head; its data stand as they are, to the bit.
 *
 * With CAVLC the data go on within a byte, and the samples of I_PCM blocks begin at a whole one (7.3.5): so the new head has the length,
 * modulo 8, of the old one. Codes of set numbers are 9, 11, 13 or 15 bits long, and the count of redundant pictures takes one more.
 * @param taken says which number it was, before the slice. @param unit the slice as it stands.
 */
export function putSlice(
  to: UnitBuffer,
  unit: Uint8Array,
  header: SliceHeader,
  head: PictureHead,
  lists: readonly (readonly Entry[])[],
  numbers: SetNumbers,
  taken: (length: number, redundant: boolean) => void,
): void {
  const w = scratch;
  const { dataAt, plain, picture } = header;
  const dataByte = (dataAt + 7) >> 3;
  if (picture.cabac) {
    taken(0, false);
    putHead(w, header, head, lists, numbers.of(0, false), false);
    w.align(1);
  } else {
    for (let k = 0; ; k++) {
      if (k === 8) throw new Error('Eight lengths in a row differ modulo 8');
      const [length, redundant] = [k >> 1, (k & 1) === 1];
      putHead(w, header, head, lists, numbers.of(length, redundant), redundant);
      if (((w.length - dataAt) & 7) !== 0) continue;
      taken(length, redundant);
      break;
    }
    w.copy(plain, dataAt, dataByte * 8);
  }
  const at = to.begin();
  const zeros = to.escape(w.bytes());
  putData(to, unit, escapedOffset(unit, dataByte), zeros);
  to.end(at);
}
