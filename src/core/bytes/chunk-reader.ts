import { DiscError } from './error';

/**
 * Reads a stream of chunks forward, in pieces of a wanted length. Holds no more than the piece asked for and one chunk; a piece that lies
 * within a chunk is not copied, so whoever gives a chunk does not use it again.
 */
export class ChunkReader {
  private readonly chunks: AsyncIterator<Uint8Array>;
  private readonly held: Uint8Array[] = [];
  private heldBytes = 0;
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
    while (this.heldBytes < length && !this.ended) {
      const next = await this.chunks.next();
      if (next.done) this.ended = true;
      else if (next.value.byteLength > 0) {
        this.held.push(next.value);
        this.heldBytes += next.value.byteLength;
      }
    }
    return this.heldBytes >= length;
  }

  /** The first bytes that are held, of as many chunks as they lie in. */
  private first(length: number): Uint8Array {
    const [chunk] = this.held;
    if (chunk && chunk.byteLength >= length) return chunk.subarray(0, length);
    const joined = new Uint8Array(Math.min(length, this.heldBytes));
    let at = 0;
    for (const piece of this.held) {
      const part = piece.subarray(0, joined.byteLength - at);
      joined.set(part, at);
      at += part.byteLength;
      if (at === joined.byteLength) break;
    }
    return joined;
  }

  private drop(length: number): void {
    this.heldBytes -= length;
    for (let left = length; left > 0;) {
      const chunk = this.held[0] as Uint8Array;
      if (chunk.byteLength > left) this.held[0] = chunk.subarray(left);
      else this.held.shift();
      left -= Math.min(left, chunk.byteLength);
    }
  }

  /** Up to `length` bytes without taking them: fewer only at the end. */
  async peek(length: number): Promise<Uint8Array> {
    await this.ensure(length);
    return this.first(length);
  }

  /** @throws DiscError `ended-early`. */
  async take(length: number): Promise<Uint8Array> {
    if (!(await this.ensure(length)))
      throw new DiscError('ended-early', { source: this.name, byteOffset: this.offset }, `The stream ends inside ${length} bytes`);
    const piece = this.first(length);
    this.drop(length);
    this.offset += length;
    return piece;
  }

  /** Ends the stream before its end: whoever makes it is told. */
  async close(): Promise<void> {
    this.ended = true;
    await this.chunks.return?.();
  }
}
