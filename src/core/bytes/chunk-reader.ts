import { DiscError } from './error';

/** Reads a stream of chunks forward, in pieces of a wanted length. Holds no more than the piece asked for and one chunk. */
export class ChunkReader {
  private readonly chunks: AsyncIterator<Uint8Array>;
  private held: Uint8Array = new Uint8Array(0);
  private ended = false;
  /** Bytes handed out so far. */
  offset = 0;

  constructor(
    private readonly name: string,
    chunks: AsyncIterable<Uint8Array>,
  ) {
    this.chunks = chunks[Symbol.asyncIterator]();
  }

  private async ensure(length: number): Promise<boolean> {
    const pieces: Uint8Array[] = [this.held];
    let have = this.held.byteLength;
    while (have < length && !this.ended) {
      const next = await this.chunks.next();
      if (next.done) this.ended = true;
      else {
        pieces.push(next.value);
        have += next.value.byteLength;
      }
    }
    if (pieces.length > 1) {
      const joined = new Uint8Array(have);
      let at = 0;
      for (const piece of pieces) {
        joined.set(piece, at);
        at += piece.byteLength;
      }
      this.held = joined;
    }
    return have >= length;
  }

  /** Up to `length` bytes without taking them: fewer only at the end. */
  async peek(length: number): Promise<Uint8Array> {
    await this.ensure(length);
    return this.held.subarray(0, length);
  }

  /** @throws DiscError `ended-early`. */
  async take(length: number): Promise<Uint8Array> {
    if (!(await this.ensure(length)))
      throw new DiscError('ended-early', { source: this.name, byteOffset: this.offset }, `The stream ends inside ${length} bytes`);
    const piece = this.held.subarray(0, length);
    this.held = this.held.subarray(length);
    this.offset += length;
    return piece;
  }

  /** Ends the stream before its end: whoever makes it is told. */
  async close(): Promise<void> {
    this.ended = true;
    await this.chunks.return?.();
  }
}
