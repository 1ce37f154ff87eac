/** Builds big-endian structures front to back. */
export class Bytes {
  private readonly parts: number[] = [];
  get length(): number {
    return this.parts.length;
  }
  u8(...values: number[]): this {
    for (const v of values) this.parts.push(v & 0xff);
    return this;
  }
  u16(...values: number[]): this {
    for (const v of values) this.u8(v >>> 8, v);
    return this;
  }
  u32(...values: number[]): this {
    for (const v of values) this.u8(v >>> 24, v >>> 16, v >>> 8, v);
    return this;
  }
  text(value: string): this {
    return this.u8(...Array.from({ length: value.length }, (_, i) => value.charCodeAt(i)));
  }
  zeros(count: number): this {
    for (let i = 0; i < count; i++) this.parts.push(0);
    return this;
  }
  add(other: Bytes): this {
    for (const byte of other.parts) this.parts.push(byte);
    return this;
  }
  /** Something behind its own length of 2 or 4 bytes. */
  behindLength(bytes: 1 | 2 | 4, content: Bytes): this {
    if (bytes === 1) this.u8(content.length);
    else if (bytes === 2) this.u16(content.length);
    else this.u32(content.length);
    return this.add(content);
  }
  data(): Uint8Array {
    return Uint8Array.from(this.parts);
  }
}
