import { H264, SyntaxReader, unescaped } from '../streams';
import type { PictureSet, SequenceSet } from './parameter-sets';
import { broken, refusal } from './refusal';

/** What the first bytes of a unit say. 7.3.1, H.7.3.1.1. */
export interface UnitHead {
  readonly type: number;
  readonly referenceIdc: number;
  /** Of a base picture an IDR; of a dependent one `non_idr_flag` is 0. */
  readonly idr: boolean;
  /** 0 for the base view, else as it stands. */
  readonly view: number;
  readonly anchor: boolean;
  /** Bytes before the head of the slice. */
  readonly bytes: number;
}

/** Head of a unit; null where it is cut off, or belongs to scalable coding. */
export function readUnitHead(unit: Uint8Array): UnitHead | null {
  const first = unit[0];
  if (first === undefined) return null;
  const [type, referenceIdc] = [first & 31, (first >> 5) & 3];
  if (type !== H264.sliceExtension) return { type, referenceIdc, idr: type === H264.idr, view: 0, anchor: type === H264.idr, bytes: 1 };
  const [a = 0x80, b = 0, c = 0] = unit.subarray(1, 4);
  if (unit.byteLength < 5 || a & 0x80) return null;
  return { type, referenceIdc, idr: !(a & 0x40), view: ((b << 2) | (c >> 6)) & 1023, anchor: (c & 4) !== 0, bytes: 4 };
}

export const P = 0;
export const B = 1;
export const I = 2;

/** A command of `dec_ref_pic_marking` with what stands behind it. 7.3.3.3. */
export type Marking = readonly [operation: number, ...operands: number[]];
/** A command that changes a list: `modification_of_pic_nums_idc` and its operand. 7.3.3.1, H.7.3.3.1.1. */
export type Modification = readonly [idc: number, operand: number];

/** Everything that the head of a slice says. 7.3.3. Positions are in bits of `plain`. */
export interface SliceHeader {
  readonly unit: UnitHead;
  readonly firstBlock: number;
  /** As it stands, 0 to 9; `kind` is the same without the promise of 5 to 9. */
  readonly type: number;
  readonly kind: typeof P | typeof B | typeof I;
  readonly sequence: SequenceSet;
  readonly picture: PictureSet;
  readonly frameNum: number;
  readonly orderLsb: number;
  readonly deltaBottom: number;
  readonly delta: readonly [number, number];
  readonly spatialDirect: boolean;
  readonly overrides: boolean;
  readonly active: readonly [number, number];
  readonly modifications: readonly [readonly Modification[], readonly Modification[]];
  readonly weightsFrom: number;
  readonly weightsTo: number;
  readonly longTermIdr: boolean;
  /** Null for the sliding window. */
  readonly marking: readonly Marking[] | null;
  readonly restFrom: number;
  readonly dataAt: number;
  /** The beginning of the unit, without emulation prevention. */
  readonly plain: Uint8Array;
}

/** Sets by their numbers, of one view. */
export interface ParameterSets {
  readonly sequence: (id: number) => SequenceSet | undefined;
  readonly picture: (id: number) => PictureSet | undefined;
}

/** Heads are short, but weights of 64 references are not. */
const USUAL_HEAD_BYTES = 96;
const MOST_LISTED = 32;
/** Neither picture numbers nor orders differ by more between pictures of one view. */
const MOST_COUNT = 2 ** 17;
const MOST_COMMANDS = 64;

function readModifications(bits: SyntaxReader): Modification[] {
  const found: Modification[] = [];
  if (!bits.flag()) return found;
  for (;;) {
    const idc = bits.ue();
    if (idc === 3) return found;
    if (idc > 5 || found.length > MOST_COMMANDS) throw broken(`A command for a list is ${idc}`);
    const operand = bits.ue();
    if (operand > MOST_COUNT) throw broken('A command for a list is out of range');
    found.push([idc, operand]);
  }
}

function skipWeights(bits: SyntaxReader, active: readonly [number, number], lists: number, colour: boolean): void {
  bits.ue();
  if (colour) bits.ue();
  for (const count of active.slice(0, lists))
    for (let i = 0; i < count; i++) {
      if (bits.flag()) for (let k = 0; k < 2; k++) bits.se();
      if (colour && bits.flag()) for (let k = 0; k < 4; k++) bits.se();
    }
}

function readMarking(bits: SyntaxReader): Marking[] {
  const found: Marking[] = [];
  for (;;) {
    const operation = bits.ue();
    if (operation === 0) return found;
    if (operation > 6 || found.length > MOST_COMMANDS) throw broken(`A command for references is ${operation}`);
    const operands = operation === 5 ? 0 : operation === 3 ? 2 : 1;
    found.push([operation, ...Array.from({ length: operands }, () => bits.ue())]);
  }
}

function parse(plain: Uint8Array, unit: UnitHead, sets: ParameterSets): { header: SliceHeader; overran: boolean } {
  const bits = new SyntaxReader(plain, unit.bytes);
  const firstBlock = bits.ue();
  const type = bits.ue();
  const kind = type % 5;
  if (type > 9) throw broken(`The type of a slice is ${type}`);
  if (kind !== P && kind !== B && kind !== I) throw refusal('It has slices that switch between streams');
  const picture = sets.picture(bits.ue());
  const sequence = picture && sets.sequence(picture.sequence);
  if (!picture || !sequence) throw broken('A slice asks for a parameter set that has not come');
  const { framesOnly, chroma, widthUnits, heightUnits } = sequence.format;
  if (firstBlock >= widthUnits * heightUnits * (framesOnly ? 1 : 2)) throw broken('A slice begins behind its picture');
  const frameNum = bits.read(sequence.frameNumBits);
  if (!framesOnly && bits.flag()) throw refusal('Its pictures are coded as fields');
  if (unit.idr) bits.ue();
  let [orderLsb, deltaBottom] = [0, 0];
  const delta: [number, number] = [0, 0];
  if (sequence.orderType === 0) {
    orderLsb = bits.read(sequence.orderBits);
    if (picture.bottomOrder) deltaBottom = bits.se();
  } else if (sequence.cycle && !sequence.cycle.deltaAlwaysZero) {
    delta[0] = bits.se();
    if (picture.bottomOrder) delta[1] = bits.se();
  }
  if (picture.redundant && bits.ue() > 0) throw refusal('It has pictures that stand in for others');
  const spatialDirect = kind === B && bits.flag();
  const active: [number, number] = kind === I ? [0, 0] : [picture.active[0], kind === B ? picture.active[1] : 0];
  const overrides = kind !== I && bits.flag();
  if (overrides) {
    active[0] = bits.ue() + 1;
    if (kind === B) active[1] = bits.ue() + 1;
  }
  if (Math.max(...active) > MOST_LISTED) throw broken('A list has too many references');
  const modifications = [kind === I ? [] : readModifications(bits), kind === B ? readModifications(bits) : []] as const;
  const weightsFrom = bits.position;
  if ((picture.weighted && kind === P) || (picture.weightedBi === 1 && kind === B))
    skipWeights(bits, active, kind === B ? 2 : 1, chroma !== 0);
  const weightsTo = bits.position;
  let longTermIdr = false;
  let marking: Marking[] | null = null;
  if (unit.referenceIdc !== 0) {
    if (unit.idr) {
      bits.skip(1);
      longTermIdr = bits.flag();
    } else if (bits.flag()) marking = readMarking(bits);
  }
  const restFrom = bits.position;
  if (picture.cabac && kind !== I) bits.ue();
  bits.se();
  if (picture.deblocking && bits.ue() !== 1) {
    bits.se();
    bits.se();
  }
  if ([deltaBottom, ...delta].some((d) => Math.abs(d) > MOST_COUNT)) throw broken('The order of a picture is out of range');
  const header: SliceHeader = {
    ...{ unit, firstBlock, type, kind, sequence, picture, frameNum, orderLsb, deltaBottom, delta, spatialDirect, overrides, active },
    ...{ modifications, weightsFrom, weightsTo, longTermIdr, marking, restFrom, dataAt: bits.position, plain },
  };
  return { header, overran: bits.overran };
}

/**
 * Reads the head of a slice, frames only.
 * @param unit from its header on, without start code. @throws DiscError `bad-structure`, `unsupported` with the reason.
 */
export function readSliceHeader(unit: Uint8Array, head: UnitHead, sets: ParameterSets): SliceHeader {
  for (let bytes = USUAL_HEAD_BYTES; ; bytes *= 8) {
    const isAll = bytes >= unit.byteLength;
    const plain = unescaped(isAll ? unit : unit.subarray(0, bytes));
    try {
      const { header, overran } = parse(plain, head, sets);
      if (!overran) return header;
    } catch (error) {
      // Zeros that are read past the end of what was looked at may seem to be nonsense.
      if (isAll) throw error;
    }
    if (isAll) throw broken('A slice ends within its head');
  }
}
