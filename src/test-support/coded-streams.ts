import { BitWriter } from '@/core/stereo/bit-writer';
import { UnitBuffer } from '@/core/stereo/escaping';
import type { Random } from './random';

/**
 * Random streams of tiny H.264 pictures that use what encoders at hand never do: long-term references, operation 5, all types of order
 * counts, gaps in frame numbers, several picture sets, lists that are told entry by entry. Blocks say which reference they are copied from
 * and nothing else, or stand as samples: a decoder that has another list shows another picture. FFmpeg says what they look like.
 */

const BLOCKS = 2;
export const TINY = { width: BLOCKS * 16, height: BLOCKS * 16 } as const;

/** What both views of a pair have in common: when each picture is coded and shown. */
interface Moment {
  readonly idr: boolean;
  readonly kind: 'I' | 'P' | 'B';
  readonly reference: boolean;
  /** Counted from the last IDR picture or operation 5. */
  readonly order: number;
  readonly anew: boolean;
}

/** @param bidirectional pictures are coded in another order than they are shown. */
export function randomMoments(random: Random, count: number, bidirectional: boolean, anew: boolean): Moment[] {
  const moments: Moment[] = [];
  let shown = 0;
  while (moments.length < count) {
    const idr = moments.length === 0 || random.int(12) === 0;
    if (idr) shown = 0;
    const restarts = anew && !idr && random.int(9) === 0;
    const ahead = bidirectional && !idr && !restarts ? random.int(3) : 0;
    const order = 2 * (shown + ahead);
    moments.push({
      idr,
      kind: idr || random.int(6) === 0 ? 'I' : 'P',
      reference: idr || restarts || ahead > 0 || random.int(4) > 0,
      order,
      anew: restarts,
    });
    for (let b = 0; b < ahead; b++)
      moments.push({ idr: false, kind: 'B', reference: random.int(2) === 0, order: 2 * (shown + b), anew: false });
    shown = restarts ? 1 : shown + ahead + 1;
  }
  return moments;
}

interface Held {
  frameNum: number;
  order: number;
  long: number | null;
}

interface Shape {
  readonly orderType: 0 | 1 | 2;
  readonly frameNumBits: number;
  readonly orderBits: number;
  readonly references: number;
  readonly gaps: boolean;
  readonly longTerm: boolean;
}

export interface CodedStream {
  /** Units of each picture, as an ordinary stream of one view. */
  readonly pictures: readonly (readonly Uint8Array[])[];
}

const escaped = (w: BitWriter): Uint8Array => {
  const out = new UnitBuffer();
  out.escape(w.bytes());
  return out.view().slice();
};

function sequenceSet({ orderType, frameNumBits, orderBits, references, gaps }: Shape): Uint8Array {
  const w = new BitWriter();
  for (const byte of [0x67, 100, 0, 30]) w.write(8, byte);
  for (const value of [0, 1, 0, 0]) w.ue(value);
  w.write(2, 0);
  w.ue(frameNumBits - 4);
  w.ue(orderType);
  if (orderType === 0) w.ue(orderBits - 4);
  if (orderType === 1) {
    w.flag(false);
    w.se(-2);
    w.se(0);
    w.ue(1);
    w.se(4);
  }
  w.ue(references);
  w.flag(gaps);
  w.ue(BLOCKS - 1);
  w.ue(BLOCKS - 1);
  w.write(2, 3);
  // No edges; on usability nothing but that pictures may be shown late, which FFmpeg else guesses from what it has seen.
  w.write(2, 1);
  w.write(9, 1);
  w.flag(true);
  w.ue(0);
  w.ue(0);
  w.ue(16);
  w.ue(16);
  w.ue(orderType === 2 ? 0 : Math.min(references, 4));
  w.ue(Math.max(references, 4));
  w.trailing();
  return escaped(w);
}

function pictureSet(id: number, active: number): Uint8Array {
  const w = new BitWriter();
  w.write(8, 0x68);
  w.ue(id);
  w.ue(0);
  w.write(2, 0);
  w.ue(0);
  w.ue(active - 1);
  w.ue(active - 1);
  w.write(3, 0);
  for (let i = 0; i < 3; i++) w.se(0);
  w.write(3, 4);
  w.trailing();
  return escaped(w);
}

/** Writes a random stream by a plan of moments. */
export function randomStream(random: Random, moments: readonly Moment[], shape: Shape): CodedStream {
  const most = 2 ** shape.frameNumBits;
  let held: Held[] = [];
  let [frameNum, last, offset, lastFrameNum] = [0, 0, 0, 0];
  let longs = 0;
  let idrId = 0;
  const pictures = moments.map(({ idr, kind, reference, order, anew }, place): Uint8Array[] => {
    if (idr) {
      [held, frameNum, offset, lastFrameNum, longs] = [[], 0, 0, 0, 0];
      idrId ^= 1;
    } else {
      frameNum = (last + 1) % most;
      // Numbers that are left out stand for pictures that were never coded: they push others out.
      if (shape.gaps && random.int(6) === 0 && held.every((h) => h.long === null)) {
        const skip = 1 + random.int(2);
        for (let k = 0; k < skip; k++) {
          slide(held, shape.references, frameNum, most);
          held.push({ frameNum, order: Number.NaN, long: null });
          if (frameNum < lastFrameNum) offset += most;
          last = lastFrameNum = frameNum;
          frameNum = (frameNum + 1) % most;
        }
      }
      if (frameNum < lastFrameNum) offset += most;
    }
    lastFrameNum = frameNum;
    const real = held.filter((h) => !Number.isNaN(h.order));
    const coded = kind !== 'I' && real.length > 0 ? kind : 'I';
    const set = random.int(2);
    const w = new BitWriter();
    w.write(8, ((reference ? 2 : 0) << 5) | (idr ? 5 : 1));
    w.ue(0);
    w.ue({ P: 5, B: 6, I: 7 }[coded]);
    w.ue(set);
    w.write(shape.frameNumBits, frameNum);
    if (idr) w.ue(idrId);
    if (shape.orderType === 0) w.write(shape.orderBits, (order + 2 ** shape.orderBits * 4) % 2 ** shape.orderBits);
    if (shape.orderType === 1) {
      const count = offset + frameNum - (!reference && offset + frameNum > 0 ? 1 : 0);
      w.se(order - (4 * count + (reference ? 0 : -2)));
    }
    if (coded === 'B') w.flag(true);
    const lists =
      coded === 'I'
        ? []
        : Array.from({ length: coded === 'B' ? 2 : 1 }, () => Array.from({ length: 1 + random.int(4) }, () => random.pick(real)));
    if (coded !== 'I') {
      w.flag(true);
      for (const list of lists) w.ue(list.length - 1);
      for (const list of lists) {
        w.flag(true);
        let at = frameNum;
        for (const entry of list) {
          if (entry.long !== null) {
            w.ue(2);
            w.ue(entry.long);
            continue;
          }
          const step = (at - entry.frameNum + most) % most || most;
          w.ue(0);
          w.ue(step - 1);
          at = entry.frameNum;
        }
        w.ue(3);
      }
    }
    if (reference) {
      const me: Held = { frameNum, order, long: null };
      if (idr) {
        const isLong = shape.longTerm && random.int(3) === 0;
        w.flag(false);
        w.flag(isLong);
        if (isLong) [me.long, longs] = [0, 1];
      } else {
        const commands = anew ? [[5]] : randomCommands(random, held, me, shape, longs);
        if (commands.some(([op]) => op === 4)) longs = Math.max(longs, 2);
        w.flag(commands.length > 0);
        if (commands.length > 0) {
          for (const command of commands) for (const value of command) w.ue(value);
          w.ue(0);
        } else slide(held, shape.references, frameNum, most);
        if (anew) {
          held = [];
          [me.frameNum, me.order, frameNum, offset, lastFrameNum, longs] = [0, 0, 0, 0, 0, 0];
        }
      }
      held.push(me);
      last = frameNum;
    }
    w.se(0);
    w.ue(1);
    for (let block = 0; block < BLOCKS * BLOCKS; block++) {
      if (coded !== 'I') w.ue(0);
      if (coded === 'I' || random.int(5) === 0) {
        w.ue({ I: 25, P: 30, B: 48 }[coded]);
        w.align(0);
        const [y, u, v] = [random.int(256), random.int(256), random.int(256)];
        for (const [value, samples] of [
          [y, 256],
          [u, 64],
          [v, 64],
        ] as const)
          for (let i = 0; i < samples; i++) w.write(8, value);
        continue;
      }
      const which = coded === 'B' ? random.int(2) : 0;
      w.ue(coded === 'B' ? 1 + which : 0);
      const count = lists[which]?.length ?? 1;
      const index = random.int(count);
      if (count === 2) w.write(1, 1 - index);
      else if (count > 2) w.ue(index);
      w.se(0);
      w.se(0);
      w.ue(0);
    }
    w.trailing();
    const sets = place === 0 ? [sequenceSet(shape), pictureSet(0, 1), pictureSet(1, 3)] : [];
    return [Uint8Array.of(9, 0xf0), ...sets, escaped(w)];
  });
  return { pictures };
}

/** The oldest short-term reference goes where all places are taken. */
function slide(held: Held[], references: number, frameNum: number, most: number): void {
  if (held.length < Math.max(1, references)) return;
  const age = (h: Held) => (frameNum - h.frameNum + most) % most;
  const oldest = held.filter((h) => h.long === null).sort((a, b) => age(b) - age(a))[0];
  if (oldest) held.splice(held.indexOf(oldest), 1);
}

/** Commands for references, carried out on those that are held. None where the window is to slide; there is always room afterwards. */
function randomCommands(random: Random, held: Held[], me: Held, { references, longTerm, frameNumBits }: Shape, longs: number): number[][] {
  const most = 2 ** frameNumBits;
  const distance = (h: Held) => ((me.frameNum - h.frameNum + most) % most) - 1;
  const short = () => held.filter((h) => h.long === null);
  const commands: number[][] = [];
  const drop = (h: Held) => held.splice(held.indexOf(h), 1);
  const wants = random.int(3) === 0;
  if (!wants) {
    // A window without a short-term reference can not slide.
    if (held.length >= references && short().length === 0) {
      const gone = random.pick(held);
      commands.push([2, gone.long as number]);
      drop(gone);
    }
    return commands;
  }
  if (longTerm && references > 1) {
    if (longs < 2) commands.push([4, 2]);
    const index = random.int(2);
    const candidates = short().filter((h) => !Number.isNaN(h.order));
    const before = held.find((h) => h.long === index);
    if (random.int(2) === 0 && candidates.length > 0) {
      const chosen = random.pick(candidates);
      if (before) drop(before);
      chosen.long = index;
      commands.push([3, distance(chosen), index]);
    } else if (random.int(2) === 0) {
      if (before) drop(before);
      me.long = index;
      commands.push([6, index]);
    }
  }
  while (held.length >= references) {
    const coded = held.filter((h) => !Number.isNaN(h.order));
    const gone = random.pick(coded.length > 0 ? coded : held);
    commands.push(gone.long === null ? [1, distance(gone)] : [2, gone.long]);
    drop(gone);
  }
  // Operation 6 stands behind those that make room for it.
  return commands.sort((a, b) => Number(a[0] === 6) - Number(b[0] === 6));
}

/** Start codes between units. */
export const streamOf = ({ pictures }: CodedStream): Buffer =>
  Buffer.concat(pictures.flat().flatMap((u) => [Uint8Array.of(0, 0, 0, 1), u]));

/** A stream as a second view that refers to no other: the same pictures under other heads. H.7.3.1.1, H.7.3.2.1.4. */
export function asSecondView({ pictures }: CodedStream): CodedStream {
  return {
    pictures: pictures.map((units) => {
      const idr = units.some((u) => ((u[0] ?? 0) & 31) === 5);
      return units.map((unit) => {
        const head = unit[0] ?? 0;
        if ((head & 31) === 9) return Uint8Array.of(24);
        if ((head & 31) === 7) return subset(unit);
        if ((head & 31) !== 1 && (head & 31) !== 5) return unit;
        const flags = ((idr ? 0 : 1) << 22) | (1 << 6) | ((idr ? 1 : 0) << 2) | 1;
        return Buffer.concat([
          Uint8Array.of((head & 0x60) | 20, (flags >> 16) & 0x7f, (flags >> 8) & 0xff, flags & 0xff),
          unit.subarray(1),
        ]);
      });
    }),
  };
}

/** A sequence set with two views that do not refer to each other. */
function subset(unit: Uint8Array): Uint8Array {
  const plain = unescapedOf(unit);
  const w = new BitWriter();
  w.write(8, 0x6f);
  w.write(8, 128);
  let stop = plain.length * 8 - 1;
  while (((plain[stop >> 3] ?? 0) & (1 << (7 - (stop & 7)))) === 0) stop--;
  w.copy(plain, 16, stop);
  w.flag(true);
  for (const value of [1, 0, 1, 0, 0, 0, 0, 0]) w.ue(value);
  w.write(8, 30);
  w.ue(0);
  w.write(3, 0);
  for (const value of [0, 1, 1]) w.ue(value);
  w.write(2, 0);
  w.trailing();
  return escaped(w);
}

function unescapedOf(unit: Uint8Array): Uint8Array {
  const out: number[] = [];
  for (const byte of unit) if (!(byte === 3 && out.at(-1) === 0 && out.at(-2) === 0)) out.push(byte);
  return Uint8Array.from(out);
}
