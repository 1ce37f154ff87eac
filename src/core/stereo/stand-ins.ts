import { BitWriter } from './bit-writer';
import type { SequenceSet } from './parameter-sets';
import { putList, putMarking, putPicture, sliceByte, type Entry, type PictureHead } from './write-slice';

/** Pictures that no encoder wrote: both say of every block that it is the base picture's. */

/** Number of the picture set that they use: no other has it. */
export const OWN_SET = 0;

const blocksOf = ({ widthUnits, heightUnits, framesOnly }: SequenceSet['format']): number =>
  widthUnits * heightUnits * (framesOnly ? 1 : 2);

/** Their picture set: CAVLC, two references, nothing else of what there could be. */
export function ownPictureSet(): Uint8Array {
  const w = new BitWriter();
  w.write(8, 0x68);
  w.ue(OWN_SET);
  w.ue(0);
  w.write(2, 1); // CAVLC; orders of bottom fields
  w.ue(0);
  w.ue(1);
  w.ue(0);
  w.write(3, 0);
  for (let i = 0; i < 3; i++) w.se(0);
  w.write(3, 0);
  w.trailing();
  return w.bytes().slice();
}

function begin(head: PictureHead): BitWriter {
  const w = new BitWriter();
  w.write(8, sliceByte(head));
  w.ue(0);
  w.ue(5); // all of the picture is P
  w.ue(OWN_SET);
  putPicture(w, head);
  return w;
}

/** Shows the base picture once more, where the dependent one is missing: every block is skipped. No other picture refers to it. */
export function substitutePicture(head: PictureHead, base: Entry, format: SequenceSet['format']): Uint8Array {
  const w = begin(head);
  w.flag(true);
  w.ue(0);
  putList(w, [base], head.frameNum);
  putMarking(w, head);
  w.se(0);
  w.ue(blocksOf(format));
  w.trailing();
  return w.bytes();
}

/** mb_type P_L0_16x16, reference 1, no difference of vectors, nothing left over: without a skip before it. */
const SECOND_REFERENCE = 0b110111;
const SECOND_REFERENCE_BITS = 6;

/**
 * The base picture, sample for sample, every block of it by reference index 1. A dependent picture whose list 1 begins with the base picture
 * of its moment counts no block as unmoved (8.4.1.2.2, for which H.8.4 takes that picture as no short-term reference); a decoder of one
 * view would. With this one in its place none is: the index is never 0.
 */
export function copyPicture(head: PictureHead, base: Entry, format: SequenceSet['format']): Uint8Array {
  const w = begin(head);
  w.flag(false);
  putList(w, [base, base], head.frameNum);
  putMarking(w, head);
  w.se(0);
  for (let block = blocksOf(format); block > 0; block--) w.write(SECOND_REFERENCE_BITS, SECOND_REFERENCE);
  w.trailing();
  return w.bytes();
}
