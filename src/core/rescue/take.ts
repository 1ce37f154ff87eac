import { DiscError, throwIfCancelled, type ByteSource } from '../bytes';
import { SECTOR_BYTES } from '../volume';
import type { RescueMap, Stretch } from './map';

/** Bytes of one large read: a multiple of the blocks that DVD (ECMA-267, 16 sectors) and Blu-ray (32 sectors) correct errors in. */
export const LARGE_BYTES = 512 * 1024;
/** Sectors that stand or fall together on a DVD. */
const BLOCK_BYTES = 16 * SECTOR_BYTES;
/** Left out behind a failed read at first; twice as much behind each further one, up to a hundredth of the medium. */
const FIRST_SKIP_BYTES = 1024 * 1024;
const MOST_SKIPPED_SHARE = 0.01;
/** Failures in a row after which it is asked again whether the disc is still there. */
const FAILURES_PER_LOOK = 32;

/** What is done with the medium, in this order. */
export const TAKE_PASSES = ['large reads', 'the other way', 'what was skipped', 'edges', 'sector by sector', 'once more'] as const;
export type TakePass = (typeof TAKE_PASSES)[number];

/** One read, and what came of it. */
export interface TakeStep {
  readonly pass: TakePass;
  readonly from: number;
  readonly bytes: number;
  readonly read: boolean;
  readonly ms: number;
}

export interface TakeOptions {
  /** Puts what was read into the image. */
  readonly write: (offset: number, data: Uint8Array) => Promise<void>;
  /** After every read; the map knows of it already. What it has promised is only kept once image and map are flushed, in that order. */
  readonly onStep: (step: TakeStep) => Promise<void> | void;
  /** Whether the disc that is read still lies there: failed reads of a drive that is empty say nothing of the disc. */
  readonly isThere: () => Promise<boolean>;
  /** Times that sectors which failed by themselves are tried once more. */
  readonly retries: number;
  readonly now: () => number;
  readonly signal?: AbortSignal | undefined;
}

/** Where a stretch of reads begins, and which way it goes. */
type Way = 'up' | 'down';

/**
 * Reads a medium as far as it can be read: large reads first, that pass over what is bad; then what was passed over; then bad stretches are
 * narrowed down to the sector. Goes on from what the map says, so it can be stopped at any moment.
 * @param map is changed. @throws DiscError `cancelled`, `source-gone` where the disc is no longer there; what writing throws.
 */
export async function takeImage(source: ByteSource, map: RescueMap, options: TakeOptions): Promise<void> {
  const taker = new Taker(source, map, options);
  await taker.run('large reads', 'up', true);
  await taker.run('the other way', 'down', true);
  await taker.run('what was skipped', 'up', false);
  await taker.edges();
  await taker.sectors('sector by sector', map.of('not searched'), 'up');
  for (let i = 0; i < options.retries; i++) await taker.sectors('once more', map.of('unreadable'), i % 2 === 0 ? 'down' : 'up');
}

class Taker {
  private readonly buffer = new Uint8Array(LARGE_BYTES);
  private readonly mostSkipped: number;
  private failures = 0;

  constructor(
    private readonly source: ByteSource,
    private readonly map: RescueMap,
    private readonly options: TakeOptions,
  ) {
    this.mostSkipped = Math.max(FIRST_SKIP_BYTES, Math.floor((map.sizeBytes * MOST_SKIPPED_SHARE) / LARGE_BYTES) * LARGE_BYTES);
  }

  /** Reads a stretch of at most a large read. @returns whether all of it was read; it is in the image and in the map then. */
  private async read(pass: TakePass, from: number, to: number): Promise<boolean> {
    const { options, source, map } = this;
    throwIfCancelled(options.signal, source.name);
    const target = this.buffer.subarray(0, to - from);
    const began = options.now();
    let isRead = false;
    try {
      isRead = (await source.read(from, target)) === target.byteLength;
    } catch (error) {
      if (!(error instanceof DiscError) || error.code !== 'read-failed') throw error;
    }
    const ms = options.now() - began;
    if (isRead) {
      this.failures = 0;
      await options.write(from, target);
      map.set(from, to, 'read');
    } else if (this.failures++ % FAILURES_PER_LOOK === 0 && !(await options.isThere()))
      throw new DiscError('source-gone', { source: source.name, byteOffset: from }, 'The disc is no longer there');
    if (!isRead) map.set(from, to, to - from <= SECTOR_BYTES ? 'unreadable' : 'edge not found');
    await options.onStep({ pass, from, bytes: to - from, read: isRead, ms });
    return isRead;
  }

  /** Large reads over what was not tried. @param skips passes over what lies behind a failed one. */
  async run(pass: TakePass, way: Way, skips: boolean): Promise<void> {
    let skip = FIRST_SKIP_BYTES;
    /** Nearer than this nothing is read. */
    let passed = way === 'up' ? 0 : this.map.sizeBytes;
    for (const stretch of inWay(this.map.of('not tried'), way)) {
      const [low, high] = way === 'up' ? [Math.max(stretch.from, passed), stretch.to] : [stretch.from, Math.min(stretch.to, passed)];
      for (let at = way === 'up' ? low : high; way === 'up' ? at < high : at > low;) {
        const [from, to] = way === 'up' ? [at, Math.min(high, largeEnd(at))] : [Math.max(low, largeStart(at)), at];
        const isRead = await this.read(pass, from, to);
        at = way === 'up' ? to : from;
        if (isRead) skip = FIRST_SKIP_BYTES;
        else if (skips) {
          at += way === 'up' ? skip : -skip;
          skip = Math.min(skip * 2, this.mostSkipped);
        }
        passed = at;
      }
    }
  }

  /** From both ends of each stretch that failed as a whole to the first sector that fails by itself. */
  async edges(): Promise<void> {
    for (const { from, to } of this.map.of('edge not found')) {
      let [low, high] = [from, to];
      // A block stands or falls as one: whole ones first, then the sectors of the one that failed.
      while (low < high && (await this.read('edges', low, Math.min(high, low + BLOCK_BYTES)))) low = Math.min(high, low + BLOCK_BYTES);
      while (low < high && (await this.read('edges', low, Math.min(high, low + SECTOR_BYTES)))) low = Math.min(high, low + SECTOR_BYTES);
      low = Math.min(high, low + SECTOR_BYTES); // what failed by itself
      while (high > low && (await this.read('edges', startOf(low, high, BLOCK_BYTES), high))) high = startOf(low, high, BLOCK_BYTES);
      while (high > low && (await this.read('edges', startOf(low, high, SECTOR_BYTES), high))) high = startOf(low, high, SECTOR_BYTES);
      if (high > low) high = startOf(low, high, SECTOR_BYTES);
      this.map.set(low, high, 'not searched');
    }
  }

  /** What is left, in blocks where whole ones are left, and sector by sector where they fail. */
  async sectors(pass: TakePass, stretches: readonly Stretch[], way: Way): Promise<void> {
    for (const { from, to } of inWay(stretches, way))
      for (const [low, high] of inWay(divided(from, to, BLOCK_BYTES), way)) {
        // Tried once more, sectors are tried by themselves: the block has failed before.
        if (pass !== 'once more' && high - low > SECTOR_BYTES && (await this.read(pass, low, high))) continue;
        for (const [first, last] of inWay(divided(low, high, SECTOR_BYTES), way)) await this.read(pass, first, last);
      }
  }
}

const inWay = <T>(list: readonly T[], way: Way): readonly T[] => (way === 'up' ? list : [...list].reverse());
const largeEnd = (at: number) => (Math.floor(at / LARGE_BYTES) + 1) * LARGE_BYTES;
const largeStart = (at: number) => (Math.ceil(at / LARGE_BYTES) - 1) * LARGE_BYTES;
/** Where the last part of a stretch begins, whose parts are counted from byte 0. */
const startOf = (low: number, high: number, part: number) => Math.max(low, (Math.ceil(high / part) - 1) * part);

/** A stretch in parts that are counted from byte 0. */
function divided(from: number, to: number, part: number): [number, number][] {
  const parts: [number, number][] = [];
  for (let at = from; at < to; at = Math.min(to, (Math.floor(at / part) + 1) * part))
    parts.push([at, Math.min(to, (Math.floor(at / part) + 1) * part)]);
  return parts;
}
