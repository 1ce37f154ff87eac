/** Bytes of a structure of fixed size, written field by field. Big-endian, as all of a DVD's tables are. */
export class Block {
  readonly bytes: Uint8Array;
  private readonly view: DataView;

  constructor(size: number) {
    this.bytes = new Uint8Array(size);
    this.view = new DataView(this.bytes.buffer);
  }

  u8(at: number, value: number): this {
    this.view.setUint8(at, value);
    return this;
  }

  u16(at: number, value: number): this {
    this.view.setUint16(at, value);
    return this;
  }

  u32(at: number, value: number): this {
    this.view.setUint32(at, value >>> 0);
    return this;
  }

  /** The same number in both orders of bytes, as ISO 9660 has it. */
  both32(at: number, value: number): this {
    this.view.setUint32(at, value, true);
    this.view.setUint32(at + 4, value);
    return this;
  }

  both16(at: number, value: number): this {
    this.view.setUint16(at, value, true);
    this.view.setUint16(at + 2, value);
    return this;
  }

  text(at: number, text: string, length = text.length): this {
    for (let i = 0; i < length; i++) this.bytes[at + i] = i < text.length ? text.charCodeAt(i) : 0x20;
    return this;
  }

  put(at: number, bytes: ArrayLike<number>): this {
    this.bytes.set(bytes, at);
    return this;
  }
}

export const SECTOR = 2048;

/** Padded with zeros to whole sectors. */
export function toSectors(bytes: Uint8Array): Uint8Array {
  const all = new Uint8Array(Math.ceil(bytes.byteLength / SECTOR) * SECTOR);
  all.set(bytes);
  return all;
}
