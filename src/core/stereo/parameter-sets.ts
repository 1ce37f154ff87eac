import { SyntaxReader, readUsabilityHead, skipScalingList, unescaped } from '../streams';
import { BitWriter, stopBitOf } from './bit-writer';
import { broken, refusal } from './refusal';

/** Profiles whose sequence sets say how pictures are sampled. ITU-T H.264 7.3.2.1.1. */
const SAMPLED: ReadonlySet<number> = new Set([100, 110, 122, 244, 44, 83, 86, 118, 128, 138, 139, 134, 135]);
const MULTIVIEW: ReadonlySet<number> = new Set([118, 128]);
const MOST_SETS = 32;
const MOST_PICTURE_SETS = 256;
const MOST_REFERENCES = 16;
const MOST_UNITS = 1024;
const MOST_LISTED = 32;

/** A sequence parameter set with all that lists, marking and heads of slices depend on. 7.4.2.1.1. */
export interface SequenceSet {
  readonly id: number;
  readonly profile: number;
  /** What both views must have alike, to be decoded as one. */
  readonly format: {
    readonly chroma: number;
    readonly depthLuma: number;
    readonly depthChroma: number;
    readonly bypass: boolean;
    /** Scaling lists as they stand, bit for bit; empty for none. */
    readonly scaling: string;
    readonly widthUnits: number;
    /** Units of 16 lines of a frame, or of 32 where fields may be coded. */
    readonly heightUnits: number;
    readonly framesOnly: boolean;
    readonly mixed: boolean;
    readonly direct8x8: boolean;
    readonly crop: readonly [number, number, number, number] | null;
  };
  readonly frameNumBits: number;
  readonly orderType: 0 | 1 | 2;
  readonly orderBits: number;
  /** Of `orderType` 1: 7.4.2.1.1. */
  readonly cycle: {
    readonly deltaAlwaysZero: boolean;
    readonly nonReference: number;
    readonly topToBottom: number;
    readonly offsets: readonly number[];
  } | null;
  readonly references: number;
  readonly gaps: boolean;
  /** Pictures that may stand between decoding and display; null where it is not said. */
  readonly reorder: number | null;
  /** What the picture looks like: aspect, colour and such, bit for bit as it stands. Null where nothing is said. */
  readonly looks: { readonly rbsp: Uint8Array; readonly from: number; readonly to: number } | null;
  /** References between views, of a subset set: by view, then list. H.7.3.2.1.4. */
  readonly views: {
    readonly ids: readonly number[];
    readonly anchor: readonly (readonly [readonly number[], readonly number[]])[];
    readonly nonAnchor: readonly (readonly [readonly number[], readonly number[]])[];
  } | null;
}

const bounded = (value: number, most: number, what: string): number => {
  if (value > most) throw broken(`${what} is ${value}`);
  return value;
};

/** hrd_parameters: E.1.2. */
function skipBuffering(bits: SyntaxReader): void {
  const count = bounded(bits.ue(), 31, 'The number of rates') + 1;
  bits.skip(8);
  for (let i = 0; i < count; i++) {
    bits.ue();
    bits.ue();
    bits.skip(1);
  }
  bits.skip(20);
}

/** vui_parameters: E.1.1. @returns where its first part ends, and what it says of reordering. */
function readUsability(bits: SyntaxReader): { looksTo: number; reorder: number | null } {
  readUsabilityHead(bits);
  const looksTo = bits.position;
  if (bits.flag()) bits.skip(65);
  const nal = bits.flag();
  if (nal) skipBuffering(bits);
  const vcl = bits.flag();
  if (vcl) skipBuffering(bits);
  if (nal || vcl) bits.skip(1);
  bits.skip(1);
  if (!bits.flag()) return { looksTo, reorder: null };
  bits.skip(1);
  for (let i = 0; i < 4; i++) bits.ue();
  const reorder = bits.ue();
  bits.ue();
  return { looksTo, reorder };
}

/** seq_parameter_set_mvc_extension: H.7.3.2.1.4. */
function readViews(bits: SyntaxReader): NonNullable<SequenceSet['views']> {
  if (!bits.flag()) throw broken('A bit that is always one is not');
  const count = bits.ue() + 1;
  if (count !== 2) throw refusal(`The stream has ${count} views; two can be shown`);
  const ids = Array.from({ length: count }, () => bits.ue());
  const list = () => Array.from({ length: bounded(bits.ue(), 15, 'The number of references between views') }, () => bits.ue());
  const lists = () => ids.map((_, i): [number[], number[]] => (i === 0 ? [[], []] : [list(), list()]));
  return { ids, anchor: lists(), nonAnchor: lists() };
}

/**
 * Reads a sequence parameter set (7.3.2.1.1), or a subset one with its views (7.3.2.1.3).
 * @param nal from its header on, without start code. @throws DiscError `bad-structure`, `unsupported`.
 */
export function readSequenceSet(nal: Uint8Array, isSubset: boolean): SequenceSet {
  const rbsp = unescaped(nal).slice();
  const bits = new SyntaxReader(rbsp, 1);
  const profile = bits.read(8);
  bits.skip(16);
  const id = bounded(bits.ue(), MOST_SETS - 1, 'The number of a sequence set');
  let [chroma, depthLuma, depthChroma, bypass, scaling] = [1, 8, 8, false, ''];
  if (SAMPLED.has(profile)) {
    chroma = bounded(bits.ue(), 3, 'The sampling of colour');
    if (chroma === 3 && bits.flag()) throw refusal('Its colours are coded as pictures of their own');
    depthLuma = 8 + bounded(bits.ue(), 6, 'The depth of brightness');
    depthChroma = 8 + bounded(bits.ue(), 6, 'The depth of colour');
    bypass = bits.flag();
    if (bits.flag()) {
      const from = bits.position;
      for (let i = 0; i < (chroma === 3 ? 12 : 8); i++) if (bits.flag()) skipScalingList(bits, i < 6 ? 16 : 64);
      const again = new SyntaxReader(rbsp);
      again.skip(from);
      scaling = Array.from({ length: Math.min(bits.position, rbsp.byteLength * 8) - from }, () => again.read(1)).join('');
    }
  }
  const frameNumBits = bounded(bits.ue(), 12, 'The width of frame numbers') + 4;
  const orderType = bounded(bits.ue(), 2, 'The type of order') as 0 | 1 | 2;
  let orderBits = 0;
  let cycle: SequenceSet['cycle'] = null;
  if (orderType === 0) orderBits = bounded(bits.ue(), 12, 'The width of order counts') + 4;
  else if (orderType === 1) {
    const step = () => {
      const value = bits.se();
      bounded(Math.abs(value), 2 ** 24, 'A step of order counts');
      return value;
    };
    const [deltaAlwaysZero, nonReference, topToBottom] = [bits.flag(), step(), step()];
    const count = bounded(bits.ue(), 255, 'The cycle of order counts');
    cycle = { deltaAlwaysZero, nonReference, topToBottom, offsets: Array.from({ length: count }, step) };
  }
  const references = bounded(bits.ue(), MOST_REFERENCES, 'The number of references');
  const gaps = bits.flag();
  const widthUnits = bounded(bits.ue(), MOST_UNITS - 1, 'The width') + 1;
  const heightUnits = bounded(bits.ue(), MOST_UNITS - 1, 'The height') + 1;
  const framesOnly = bits.flag();
  const mixed = !framesOnly && bits.flag();
  const direct8x8 = bits.flag();
  const edge = () => bounded(bits.ue(), MOST_UNITS * 16, 'An edge');
  const crop = bits.flag() ? ([edge(), edge(), edge(), edge()] as const) : null;
  const from = bits.position + 1;
  const usability = bits.flag() ? readUsability(bits) : null;
  const views = isSubset && MULTIVIEW.has(profile) ? readViews(bits) : null;
  if (bits.overran) throw broken('A sequence set ends too early');
  return {
    id,
    profile,
    format: { chroma, depthLuma, depthChroma, bypass, scaling, widthUnits, heightUnits, framesOnly, mixed, direct8x8, crop },
    frameNumBits,
    orderType,
    orderBits,
    cycle,
    references,
    gaps,
    reorder: usability?.reorder ?? null,
    looks: usability && { rbsp, from, to: usability.looksTo },
    views,
  };
}

/** A picture parameter set: what heads of slices depend on, and the rest as it stands. 7.3.2.2. */
export interface PictureSet {
  readonly id: number;
  readonly sequence: number;
  readonly cabac: boolean;
  readonly bottomOrder: boolean;
  /** Entries of both lists where a slice does not say otherwise. */
  readonly active: readonly [number, number];
  readonly weighted: boolean;
  readonly weightedBi: number;
  readonly deblocking: boolean;
  readonly redundant: boolean;
  /** Without header and emulation prevention; positions in bits. */
  readonly rbsp: Uint8Array;
  readonly restFrom: number;
  readonly redundantAt: number;
  /** Two sets of the same content are the same, whatever their numbers. */
  readonly content: string;
}

/** Reads a picture parameter set. @throws DiscError `bad-structure`, `unsupported`. */
export function readPictureSet(nal: Uint8Array): PictureSet {
  const rbsp = unescaped(nal.subarray(1)).slice();
  const bits = new SyntaxReader(rbsp);
  const id = bounded(bits.ue(), MOST_PICTURE_SETS - 1, 'The number of a picture set');
  const sequence = bounded(bits.ue(), MOST_SETS - 1, 'The number of a sequence set');
  const restFrom = bits.position;
  const [cabac, bottomOrder] = [bits.flag(), bits.flag()];
  if (bits.ue() > 0) throw refusal('Its pictures are coded in groups of slices');
  const count = () => bounded(bits.ue(), MOST_LISTED - 1, 'The number of references') + 1;
  const active = [count(), count()] as const;
  const [weighted, weightedBi] = [bits.flag(), bits.read(2)];
  for (let i = 0; i < 3; i++) bits.se();
  const deblocking = bits.flag();
  bits.skip(1);
  const redundantAt = bits.position;
  const redundant = bits.flag();
  const stop = stopBitOf(rbsp);
  if (bits.overran || stop <= redundantAt) throw broken('A picture set ends too early');
  const rest = new BitWriter();
  rest.copy(rbsp, restFrom, stop);
  rest.trailing();
  const content = rest.bytes().join(' ');
  return { id, sequence, cabac, bottomOrder, active, weighted, weightedBi, deblocking, redundant, rbsp, restFrom, redundantAt, content };
}

/** Bits of frame numbers and order counts in what is written: all that the standard allows. */
export const COUNT_BITS = 16;
export const COUNTS = 2 ** COUNT_BITS;
/** Level 5.2: room for 16 frames of 1080 lines. Software decoders do not mind. */
const LEVEL = 52;

const sampling = (w: BitWriter, { chroma, depthLuma, depthChroma, bypass, scaling }: SequenceSet['format']): void => {
  w.ue(chroma);
  if (chroma === 3) w.flag(false);
  w.ue(depthLuma - 8);
  w.ue(depthChroma - 8);
  w.flag(bypass);
  w.flag(scaling !== '');
  for (const bit of scaling) w.write(1, Number(bit));
};

/**
 * Writes the sequence set of both views as one: 16 references, orders and frame numbers of 16 bits, the picture as it was.
 * @param reorder pictures between decoding and display, of both views. @returns the unit without emulation prevention.
 */
export function writeSequenceSet({ profile, format, looks }: SequenceSet, reorder: number): Uint8Array {
  const w = new BitWriter();
  w.write(8, 0x67);
  w.write(8, [110, 122, 244].includes(profile) ? profile : 100);
  w.write(8, 0);
  w.write(8, LEVEL);
  w.ue(0);
  sampling(w, format);
  w.ue(COUNT_BITS - 4);
  w.ue(0);
  w.ue(COUNT_BITS - 4);
  w.ue(MOST_REFERENCES);
  w.flag(false);
  w.ue(format.widthUnits - 1);
  w.ue(format.heightUnits - 1);
  w.flag(format.framesOnly);
  if (!format.framesOnly) w.flag(format.mixed);
  w.flag(format.direct8x8);
  w.flag(format.crop !== null);
  for (const side of format.crop ?? []) w.ue(side);
  w.flag(true);
  if (looks) w.copy(looks.rbsp, looks.from, looks.to);
  else w.write(4, 0);
  // No clock, no buffering; what follows is said: bitstream_restriction_flag.
  w.write(4, 0);
  w.write(2, 3);
  w.ue(0);
  w.ue(0);
  w.ue(16);
  w.ue(16);
  w.ue(reorder);
  w.ue(MOST_REFERENCES);
  w.trailing();
  return w.bytes().slice();
}

/**
 * Writes a picture set under another number, for sequence set 0, with the order of bottom fields and the wished flag for redundant
 * pictures; all else as it stands. @returns the unit without emulation prevention.
 */
export function writePictureSet({ rbsp, restFrom, redundantAt, cabac }: PictureSet, id: number, redundant: boolean): Uint8Array {
  const w = new BitWriter();
  w.write(8, 0x68);
  w.ue(id);
  w.ue(0);
  w.flag(cabac);
  w.flag(true);
  w.copy(rbsp, restFrom + 2, redundantAt);
  w.flag(redundant);
  w.copy(rbsp, redundantAt + 1, stopBitOf(rbsp));
  w.trailing();
  return w.bytes().slice();
}
