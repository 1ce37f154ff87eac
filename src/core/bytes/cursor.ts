import { DiscError, type Where } from './error';

/**
 * Walks big-endian bytes from front to back; no step leaves the bytes given. For structures whose parts follow each
 * other with lengths of their own.
 */
export class Cursor {
  private readonly view: DataView;
  private at = 0;

  /** @param where place of `data[0]`, for messages. */
  constructor(
    private readonly data: Uint8Array,
    private readonly where: Where,
  ) {
    this.view = new DataView(data.buffer, data.byteOffset, data.byteLength);
  }

  /** Bytes not yet walked. */
  get left(): number {
    return this.data.byteLength - this.at;
  }

  get position(): number {
    return this.at;
  }

  private take(bytes: number): number {
    if (bytes < 0 || bytes > this.left) {
      throw new DiscError(
        'ended-early',
        { ...this.where, byteOffset: this.where.byteOffset + this.at },
        `${this.where.structure ?? 'structure'} needs ${bytes} bytes, ${this.left} are left`,
      );
    }
    const from = this.at;
    this.at += bytes;
    return from;
  }

  u8(): number {
    return this.view.getUint8(this.take(1));
  }
  u16(): number {
    return this.view.getUint16(this.take(2));
  }
  u32(): number {
    return this.view.getUint32(this.take(4));
  }
  /** Latin-1, as it stands. */
  text(bytes: number): string {
    const from = this.take(bytes);
    return String.fromCharCode(...this.data.subarray(from, from + bytes));
  }
  skip(bytes: number): void {
    this.take(bytes);
  }
  /** A cursor over the next `bytes` bytes, which this one then leaves behind. @param structure its name in the standard. */
  part(bytes: number, structure: string): Cursor {
    const from = this.take(bytes);
    return new Cursor(this.data.subarray(from, from + bytes), {
      source: this.where.source,
      byteOffset: this.where.byteOffset + from,
      structure,
    });
  }
  /** A cursor from `position` of these bytes to their end. @throws DiscError `ended-early` where that lies outside. */
  from(position: number, structure: string): Cursor {
    const whole = new Cursor(this.data, this.where);
    whole.skip(position);
    return whole.part(whole.left, structure);
  }
  /** True where both stand over the same bytes: what was read from the one can be had again for the other. */
  sameBytes(other: Cursor): boolean {
    if (other.data.byteLength !== this.data.byteLength) return false;
    for (let i = 0; i < this.data.byteLength; i++) if (this.data[i] !== other.data[i]) return false;
    return true;
  }
  /** A typed error at this place. */
  wrong(code: 'bad-signature' | 'bad-structure' | 'out-of-range', detail: string): DiscError {
    return new DiscError(code, { ...this.where, byteOffset: this.where.byteOffset + this.at }, detail);
  }
}
