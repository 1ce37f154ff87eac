/** Blocks of a UDF image. */

/** CRC of ITU-T V.41, as ECMA-167 1/7.2.6 asks. */
export function crc16(data: Uint8Array): number {
  let crc = 0;
  for (const byte of data) {
    crc ^= byte << 8;
    for (let i = 0; i < 8; i++) crc = crc & 0x8000 ? ((crc << 1) ^ 0x1021) & 0xffff : (crc << 1) & 0xffff;
  }
  return crc;
}

export class Block {
  readonly bytes: Uint8Array;
  readonly view: DataView;
  constructor(size = 2048) {
    this.bytes = new Uint8Array(size);
    this.view = new DataView(this.bytes.buffer);
  }
  u8(at: number, value: number): this {
    this.view.setUint8(at, value);
    return this;
  }
  u16(at: number, value: number): this {
    this.view.setUint16(at, value, true);
    return this;
  }
  u32(at: number, value: number): this {
    this.view.setUint32(at, value, true);
    return this;
  }
  u64(at: number, value: number): this {
    return this.u32(at, value % 2 ** 32).u32(at + 4, Math.floor(value / 2 ** 32));
  }
  text(at: number, value: string): this {
    this.bytes.set(new TextEncoder().encode(value), at);
    return this;
  }
  entity(at: number, value: string): this {
    return this.text(at + 1, value).u16(at + 24, 0x250);
  }
  longAd(at: number, bytes: number, block: number, partition: number): this {
    return this.u32(at, bytes)
      .u32(at + 4, block)
      .u16(at + 8, partition);
  }
  /** Timestamp of 1 January 2026. ECMA-167 1/7.3. */
  time(at: number): this {
    return this.u16(at, 0x1000)
      .u16(at + 2, 2026)
      .u8(at + 4, 1)
      .u8(at + 5, 1);
  }
  /** Puts the tag in front, once everything else stands. */
  tag(identifier: number, location: number, length = this.bytes.byteLength): this {
    const body = this.bytes.subarray(16, length);
    this.u16(0, identifier).u16(2, 3).u16(6, 1).u16(8, crc16(body)).u16(10, body.byteLength).u32(12, location);
    let sum = 0;
    for (let i = 0; i < 16; i++) if (i !== 4) sum += this.bytes[i] ?? 0;
    return this.u8(4, sum & 0xff);
  }
}

/** A name in OSTA compressed Unicode: 8 bits a character where they fit. */
export function osta(name: string): Uint8Array {
  const codes = Array.from(name, (c) => c.charCodeAt(0));
  return codes.every((c) => c < 256) ? Uint8Array.from([8, ...codes]) : Uint8Array.from([16, ...codes.flatMap((c) => [c >> 8, c & 255])]);
}

export function putDstring(block: Block, at: number, room: number, name: string): void {
  const bytes = osta(name);
  block.bytes.set(bytes, at);
  block.u8(at + room - 1, bytes.byteLength);
}
