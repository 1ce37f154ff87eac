import { FIRST_BEYOND_SLICES, plainStore, type ByteStore, type SliceRows } from '../../streams';

/** A frame or unit larger than this is no frame: bounds what a broken stream can make us hold. */
const MAX_HELD_BYTES = 48 * 1024 * 1024;

/**
 * The bytes of one elementary stream between demultiplexing and hand-over, addressed by their position in the
 * stream. One buffer is reused for the whole title: released bytes are overwritten by moving the rest down, so that
 * memory does not grow with length, and no object is made per packet.
 */
export class EsBuffer {
  private readonly store: ByteStore;
  private buffer: Uint8Array;
  /** Stream position of `buffer[0]`. */
  private base = 0;
  private released = 0;
  /** Stream position after the last byte. */
  end = 0;
  /** Called before bytes that were released are overwritten: the last moment for whoever still wants to see them. */
  beforeMove: (() => void) | null = null;

  constructor(capacityBytes: number, store: (capacityBytes: number) => ByteStore = plainStore) {
    this.store = store(capacityBytes);
    this.buffer = this.store.bytes;
  }

  append(data: Uint8Array, from: number, to: number): void {
    const length = to - from;
    if (this.end - this.base + length > this.buffer.byteLength) this.makeRoom(length);
    this.buffer.set(data.subarray(from, to), this.end - this.base);
    this.end += length;
  }

  private makeRoom(length: number): void {
    this.beforeMove?.();
    const live = this.end - this.released;
    this.buffer.copyWithin(0, this.released - this.base, this.end - this.base);
    this.base = this.released;
    // Moving is cheap while little is live; a buffer mostly live would be moved again and again, so it doubles.
    if (live + length <= this.buffer.byteLength / 2) return;
    if (live + length > MAX_HELD_BYTES) throw new RangeError('A stream holds back more than is believable');
    this.store.grow(this.buffer.byteLength * 2 + length);
    this.buffer = this.store.bytes;
  }

  /** Everything before `position` is no longer needed. */
  release(position: number): void {
    if (position > this.released) this.released = Math.min(position, this.end);
  }

  /** The bytes `[position, position + length)`; valid until the next `append`. */
  view(position: number, length: number): Uint8Array {
    return this.buffer.subarray(position - this.base, position - this.base + length);
  }

  /** Nothing more is taken from it: its room may serve another stream. */
  close(): void {
    this.store.release();
    this.buffer = new Uint8Array(0);
  }

  /** Position of the next start code of zero or from `least` on, wholly before `end`; -1 where there is none. */
  findUnitCode(from: number, end: number, least: number = FIRST_BEYOND_SLICES): number {
    const at = this.store.findUnitCode(from - this.base, end - this.base, least);
    return at < 0 ? -1 : at + this.base;
  }

  /** The slices that the search has passed over since the last call. */
  takeSliceRows(): SliceRows {
    return this.store.takeSliceRows();
  }

  /** The whole buffer with its offset: for scanners that work on indices. `data[position - base]`. */
  get raw(): { readonly data: Uint8Array; readonly base: number } {
    return { data: this.buffer, base: this.base };
  }
}
