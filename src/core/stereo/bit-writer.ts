import { BitReader } from '../bytes';

const FIRST_ROOM_BYTES = 256;

/** Writes big-endian bit fields and exponential-Golomb codes, without emulation prevention. Spec: ITU-T H.264 7.2, 9.1. */
export class BitWriter {
  private room = new Uint8Array(FIRST_ROOM_BYTES);
  /** Bits written. */
  length = 0;

  /** Forgets what was written; its room is used again. */
  clear(): void {
    this.room.fill(0, 0, (this.length + 7) >> 3);
    this.length = 0;
  }

  /** @param count 0 to 32 bits. @param value what does not fit into them is not written. */
  write(count: number, value: number): void {
    if ((this.length + count + 7) >> 3 > this.room.byteLength) {
      const larger = new Uint8Array(this.room.byteLength * 2 + 8);
      larger.set(this.room);
      this.room = larger;
    }
    for (let left = count; left > 0;) {
      const free = 8 - (this.length & 7);
      const take = Math.min(free, left);
      const bits = Math.floor(value / 2 ** (left - take)) & ((1 << take) - 1);
      const at = this.length >> 3;
      this.room[at] = (this.room[at] as number) | (bits << (free - take));
      this.length += take;
      left -= take;
    }
  }
  flag(value: boolean): void {
    this.write(1, value ? 1 : 0);
  }
  /** ue(v), 0 to 2³² - 2. */
  ue(value: number): void {
    const bits = Math.floor(Math.log2(value + 1));
    this.write(bits, 0);
    if (bits === 32) throw new RangeError('No such code is needed in any header');
    this.write(bits + 1, value + 1);
  }
  /** se(v). */
  se(value: number): void {
    this.ue(value > 0 ? 2 * value - 1 : -2 * value);
  }
  /** Bits as they stand elsewhere. @param from,to positions in bits. */
  copy(data: Uint8Array, from: number, to: number): void {
    const reader = new BitReader(data);
    reader.skip(from);
    for (let left = to - from; left > 0; left -= 32) this.write(Math.min(32, left), reader.read(Math.min(32, left)));
  }
  /** Bits up to the next whole byte. */
  align(bit: 0 | 1): void {
    while (this.length & 7) this.write(1, bit);
  }
  /** rbsp_trailing_bits: 7.3.2.11. */
  trailing(): void {
    this.write(1, 1);
    this.align(0);
  }
  /** What was written; valid until more is. Whole bytes only. */
  bytes(): Uint8Array {
    if (this.length & 7) throw new Error('Not a whole number of bytes');
    return this.room.subarray(0, this.length >> 3);
  }
}

/** Where the stop bit of an RBSP stands, in bits; -1 where there is none. 7.3.2.11. */
export function stopBitOf(rbsp: Uint8Array): number {
  let end = rbsp.byteLength;
  while (end > 0 && rbsp[end - 1] === 0) end--;
  if (end === 0) return -1;
  return end * 8 - 1 - Math.round(Math.log2((rbsp[end - 1] as number) & -(rbsp[end - 1] as number)));
}
