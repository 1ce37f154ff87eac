import { spawn } from 'node:child_process';
import { createHash } from 'node:crypto';
import type { AuthoredPes } from './packetize';

/**
 * A small encoder of second views, as ITU-T H.264 annex H has them: each picture is predicted from the first view's picture of the same moment
 * and from the one before of its own view, in blocks of 16 by 16 that are moved as a whole or not at all; what neither predicts stands as
 * samples (I_PCM). It reconstructs its pictures itself, which is what others are compared with. It knows nothing of who decodes it.
 */

/** A picture, planar, 4:2:0. */
interface Frame {
  readonly y: Uint8Array;
  readonly u: Uint8Array;
  readonly v: Uint8Array;
}

interface Size {
  readonly width: number;
  readonly height: number;
}

/** Pictures of a program's raw output in order, of which the latest can be asked for again. */
export class Frames {
  private readonly held = new Map<number, Frame>();
  private next = 0;
  private readonly chunks: AsyncIterator<Buffer>;
  private rest: Buffer = Buffer.alloc(0);

  constructor(
    args: readonly string[],
    private readonly size: Size,
  ) {
    const child = spawn(
      'ffmpeg',
      ['-nostdin', '-v', 'error', ...args, '-fps_mode', 'passthrough', '-pix_fmt', 'yuv420p', '-f', 'rawvideo', 'pipe:1'],
      {
        stdio: ['ignore', 'pipe', 'inherit'],
      },
    );
    this.chunks = (child.stdout as AsyncIterable<Buffer>)[Symbol.asyncIterator]();
  }

  /** @throws Error past the last picture, and for one that is long gone. */
  async at(index: number): Promise<Frame> {
    const luma = this.size.width * this.size.height;
    const bytes = (luma * 3) / 2;
    while (this.next <= index) {
      const parts = [this.rest];
      let have = this.rest.byteLength;
      while (have < bytes) {
        const part = await this.chunks.next();
        if (part.done) throw new Error(`There is no picture ${index}`);
        parts.push(part.value);
        have += part.value.byteLength;
      }
      const all = Buffer.concat(parts);
      const data = new Uint8Array(all.subarray(0, bytes));
      this.rest = all.subarray(bytes);
      this.held.set(this.next, { y: data.subarray(0, luma), u: data.subarray(luma, luma * 1.25), v: data.subarray(luma * 1.25) });
      this.held.delete(this.next++ - 24);
    }
    const frame = this.held.get(index);
    if (!frame) throw new Error(`Picture ${index} is gone`);
    return frame;
  }
}

/** Bits of a unit. */
class Bits {
  private readonly bytes: number[] = [];
  private left = 8;
  put(count: number, value: number): void {
    for (let i = count - 1; i >= 0; i--) {
      if (this.left === 8) this.bytes.push(0);
      this.left--;
      const last = this.bytes.length - 1;
      this.bytes[last] = (this.bytes[last] ?? 0) | ((Math.floor(value / 2 ** i) & 1) << this.left);
      if (this.left === 0) this.left = 8;
    }
  }
  ue(value: number): void {
    const bits = Math.floor(Math.log2(value + 1));
    this.put(bits, 0);
    this.put(bits + 1, value + 1);
  }
  se(value: number): void {
    this.ue(value > 0 ? 2 * value - 1 : -2 * value);
  }
  /** Up to a whole byte, then samples as they are. */
  samples(...planes: readonly Uint8Array[]): void {
    this.left = 8;
    for (const plane of planes) for (const sample of plane) this.bytes.push(sample);
  }
  align(): void {
    this.left = 8;
  }
  /** The unit with its head, its stop bit, and what keeps start codes out of it. */
  unit(head: readonly number[]): number[] {
    this.put(1, 1);
    const out = [...head];
    let zeros = 0;
    for (const byte of this.bytes) {
      if (zeros >= 2 && byte <= 3) {
        out.push(3);
        zeros = 0;
      }
      out.push(byte);
      zeros = byte === 0 ? zeros + 1 : 0;
    }
    return out;
  }
}

const COUNT_BITS = 16;
const LEVEL = 40;
const SUBSET = 15;
const PICTURE_SET = 8;
const DELIMITER = 24;
const P_16X16 = 0;
const I_PCM = 30;
const BLOCK = 16;
/** Differences of a block, summed, up to which a prediction will do; above the other one samples stand. */
const GOOD = 256 * 3;
const BAD = 256 * 14;

/** Subset sequence set: High pictures, one reference of its own, views 0 and 1, both lists' inter-view reference in list 0. H.7.3.2.1.4. */
function sequenceSet({ width, height }: Size): number[] {
  const b = new Bits();
  b.put(8, 128);
  b.put(8, 0);
  b.put(8, LEVEL);
  for (const value of [0, 1, 0, 0]) b.ue(value);
  b.put(2, 0);
  for (const value of [COUNT_BITS - 4, 0, COUNT_BITS - 4, 1]) b.ue(value);
  b.put(1, 0);
  const rows = Math.ceil(height / BLOCK);
  b.ue(width / BLOCK - 1);
  b.ue(rows - 1);
  b.put(2, 3);
  const cut = (rows * BLOCK - height) / 2;
  b.put(1, cut > 0 ? 1 : 0);
  if (cut > 0) for (const side of [0, 0, 0, cut]) b.ue(side);
  b.put(2, 1); // nothing on usability; a bit that is one
  for (const value of [1, 0, 1, 1, 0, 0, 1, 0, 0, 0]) b.ue(value);
  b.put(8, LEVEL);
  b.ue(0);
  b.put(3, 0);
  for (const value of [0, 1, 1]) b.ue(value);
  b.put(2, 0);
  return b.unit([0x60 | SUBSET]);
}

/** Both views' picture sets share their numbers (7.4.1.2.1): the first view has number 0. */
const SET = 1;

function pictureSet(): number[] {
  const b = new Bits();
  b.ue(SET);
  b.ue(0);
  b.put(2, 0);
  for (const value of [0, 1, 0]) b.ue(value);
  b.put(3, 0);
  for (let i = 0; i < 3; i++) b.se(0);
  b.put(3, 4); // deblocking is controlled
  return b.unit([0x60 | PICTURE_SET]);
}

interface Vector {
  readonly x: number;
  readonly y: number;
  /** 0: the first view's picture, 1: the one before; -1 for samples. */
  readonly ref: number;
}
const median = (a: number, b: number, c: number): number => Math.max(Math.min(a, b), Math.min(Math.max(a, b), c));

/** 8.4.1.3: what is expected of a block's vector by those of its neighbours. */
function predicted(at: (x: number, y: number) => Vector | null, x: number, y: number, ref: number): { x: number; y: number } {
  const none = { x: 0, y: 0, ref: -1 };
  const [left, above] = [at(x - 1, y), at(x, y - 1)];
  const corner = at(x + 1, y - 1) ?? at(x - 1, y - 1);
  if (!above && !corner && left) return left;
  const three = [left ?? none, above ?? none, corner ?? none];
  const same = three.filter((v) => v.ref === ref);
  if (same.length === 1) return same[0] as Vector;
  const [a, b, c] = three.map((v) => (v.ref < 0 ? { x: 0, y: 0 } : v)) as [Vector, Vector, Vector];
  return { x: median(a.x, b.x, c.x), y: median(a.y, b.y, c.y) };
}

/** 8.4.1.1: the vector of a block that is skipped. */
function skipped(at: (x: number, y: number) => Vector | null, x: number, y: number): { x: number; y: number } {
  const [left, above] = [at(x - 1, y), at(x, y - 1)];
  const still = (v: Vector | null) => !v || (v.ref === 0 && v.x === 0 && v.y === 0);
  return still(left) || still(above) ? { x: 0, y: 0 } : predicted(at, x, y, 0);
}

/** Moves a block of a plane; outside of the picture its edge goes on. */
function move(
  from: Uint8Array,
  to: Uint8Array,
  stride: number,
  rows: number,
  x: number,
  y: number,
  size: number,
  dx: number,
  dy: number,
): void {
  for (let row = 0; row < size && y + row < rows; row++) {
    const source = Math.max(0, Math.min(rows - 1, y + row + dy)) * stride;
    for (let column = 0; column < size; column++)
      to[(y + row) * stride + x + column] = from[source + Math.max(0, Math.min(stride - 1, x + column + dx))] as number;
  }
}

function difference(
  from: Uint8Array,
  to: Uint8Array,
  { width, height }: Size,
  x: number,
  y: number,
  dx: number,
  dy: number,
  most: number,
): number {
  let sum = 0;
  for (let row = 0; row < BLOCK && y + row < height && sum <= most; row++) {
    const source = Math.max(0, Math.min(height - 1, y + row + dy)) * width;
    for (let column = 0; column < BLOCK; column++)
      sum += Math.abs(
        (to[(y + row) * width + x + column] as number) - (from[source + Math.max(0, Math.min(width - 1, x + column + dx))] as number),
      );
  }
  return sum;
}

/** Samples to either side that are tried: whole ones of colour, too. */
const REACH = Array.from({ length: 17 }, (_, i) => (i - 8) * 2);

/** One picture. @returns the slice's data behind its head, and what was reconstructed. */
function encodePicture(b: Bits, wanted: Frame, refs: readonly Frame[], size: Size): Frame {
  const { width, height } = size;
  const [columns, rows] = [width / BLOCK, Math.ceil(height / BLOCK)];
  const made: Frame = {
    y: new Uint8Array(width * height),
    u: new Uint8Array((width * height) / 4),
    v: new Uint8Array((width * height) / 4),
  };
  const vectors: Vector[] = [];
  let skips = 0;
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < columns; column++) {
      const at = (x: number, y: number) => (x < 0 || x >= columns || y < 0 ? null : (vectors[y * columns + x] ?? null));
      const [x, y] = [column * BLOCK, row * BLOCK];
      const cost = (dx: number, dy: number, ref: number, most: number) =>
        difference((refs[ref] as Frame).y, wanted.y, size, x, y, dx, dy, most);
      const skip = skipped(at, column, row);
      let best = { x: skip.x, y: skip.y, ref: 0, cost: cost(skip.x / 4, skip.y / 4, 0, BAD) };
      if (best.cost > GOOD)
        for (let ref = 0; ref < refs.length; ref++)
          for (const dx of REACH) {
            const found = cost(dx, 0, ref, best.cost);
            if (found < best.cost) best = { x: dx * 4, y: 0, ref, cost: found };
          }
      if (best.cost > BAD) {
        b.ue(skips);
        skips = 0;
        b.ue(I_PCM);
        const block = (plane: Uint8Array, side: number, stride: number, left: number, top: number) =>
          Uint8Array.from(
            { length: side * side },
            (_, i) => plane[Math.min(plane.length / stride - 1, top + Math.floor(i / side)) * stride + left + (i % side)] ?? 0,
          );
        const [py, pu, pv] = [
          block(wanted.y, 16, width, x, y),
          block(wanted.u, 8, width / 2, x / 2, y / 2),
          block(wanted.v, 8, width / 2, x / 2, y / 2),
        ];
        b.samples(py, pu, pv);
        move(wanted.y, made.y, width, height, x, y, 16, 0, 0);
        move(wanted.u, made.u, width / 2, height / 2, x / 2, y / 2, 8, 0, 0);
        move(wanted.v, made.v, width / 2, height / 2, x / 2, y / 2, 8, 0, 0);
        vectors.push({ x: 0, y: 0, ref: -1 });
        continue;
      }
      const isSkip = best.ref === 0 && best.x === skip.x && best.y === skip.y;
      if (isSkip) skips++;
      else {
        b.ue(skips);
        skips = 0;
        b.ue(P_16X16);
        if (refs.length > 1) b.put(1, best.ref === 0 ? 1 : 0);
        const guess = predicted(at, column, row, best.ref);
        b.se(best.x - guess.x);
        b.se(best.y - guess.y);
        b.ue(0); // nothing is left over
      }
      const ref = refs[best.ref] as Frame;
      const [dx, dy] = [best.x / 4, best.y / 4];
      move(ref.y, made.y, width, height, x, y, 16, dx, dy);
      move(ref.u, made.u, width / 2, height / 2, x / 2, y / 2, 8, dx / 2, dy / 2);
      move(ref.v, made.v, width / 2, height / 2, x / 2, y / 2, 8, dx / 2, dy / 2);
      vectors.push({ x: best.x, y: best.y, ref: best.ref });
    }
  if (skips > 0) b.ue(skips);
  return made;
}

export interface EncodedView {
  readonly packets: readonly AuthoredPes[];
  /** MD5 of each picture in order of display, of both views. */
  readonly pictures: { readonly first: readonly string[]; readonly second: readonly string[] };
}

const sumOf = ({ y, u, v }: Frame): string => createHash('md5').update(y).update(u).update(v).digest('hex');
const typesIn = (data: Uint8Array): Set<number> => {
  const types = new Set<number>();
  for (let i = 0; i + 3 < data.byteLength; i++)
    if (data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 1) types.add((data[i + 3] as number) & 31);
  return types;
};

/**
 * Encodes a second view beside a first one that is there already.
 * @param base the first view's pictures as they are coded. @param decoded the same decoded, in order of display. @param wanted what the other eye sees.
 */
export async function encodeSecondView(base: readonly AuthoredPes[], decoded: Frames, wanted: Frames, size: Size): Promise<EncodedView> {
  const times = base.map((p) => p.pts90k).sort((a, b) => a - b);
  const first: string[] = [];
  const second: string[] = [];
  const packets: AuthoredPes[] = [];
  let before: Frame | null = null;
  let frameNum = 0;
  let counted = 0;
  let begins = 0;
  let shownFrom = 0;
  for (const [place, pes] of base.entries()) {
    const index = times.indexOf(pes.pts90k);
    const idr = typesIn(pes.data).has(5);
    if (idr) {
      [frameNum, counted, before] = [0, index, null];
      begins ^= 1;
    }
    const anchor = pes.key || place === 0;
    if (anchor) shownFrom = index;
    // What follows an anchor and is shown before it may need what came earlier: nothing that is shown later refers to it (H.7.4.1.1, anchor_pic_flag).
    const leading = index < shownFrom;
    const left = await decoded.at(index);
    const refs = anchor || !before ? [left] : [left, before];
    const b = new Bits();
    b.ue(0);
    b.ue(5);
    b.ue(SET);
    b.put(COUNT_BITS, frameNum);
    if (idr) b.ue(begins);
    b.put(COUNT_BITS, (2 * (index - counted) + 2 ** COUNT_BITS) % 2 ** COUNT_BITS);
    b.put(1, 1);
    b.ue(refs.length - 1);
    // The first view's picture comes first in the list: H.7.3.3.1.1.
    b.put(1, 1);
    b.ue(5);
    b.ue(0);
    b.ue(3);
    if (!leading) b.put(idr ? 2 : 1, 0);
    b.se(0);
    b.ue(1); // no deblocking
    const made = encodePicture(b, await wanted.at(index), refs, size);
    const flags = ((idr ? 0 : 1) << 22) | (1 << 6) | ((anchor ? 1 : 0) << 2) | 1;
    const slice = b.unit([leading ? 0x14 : 0x74, (flags >> 16) & 0x7f, (flags >> 8) & 0xff, flags & 0xff]);
    const units = [[DELIMITER], ...(anchor ? [sequenceSet(size), pictureSet()] : []), slice];
    packets.push({ ...pes, data: Uint8Array.from(units.flatMap((u) => [0, 0, 0, 1, ...u])) });
    first[index] = sumOf(left);
    second[index] = sumOf(made);
    if (leading) continue;
    before = made;
    frameNum = (frameNum + 1) % 2 ** COUNT_BITS;
  }
  return { packets, pictures: { first, second } };
}
