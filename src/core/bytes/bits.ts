/** Reads big-endian bit fields; past the end it reads zeros and says so in `overran`. */
export class BitReader {
  private bit = 0;
  constructor(
    private readonly data: Uint8Array,
    byteOffset = 0,
  ) {
    this.bit = byteOffset * 8;
  }

  /** True once more bits were asked for than there are. */
  get overran(): boolean {
    return this.bit > this.data.byteLength * 8;
  }

  /** Bits that were read or skipped, from the beginning of the data. */
  get position(): number {
    return this.bit;
  }

  /** @param count 0 to 32 bits. @returns an unsigned number. */
  read(count: number): number {
    let value = 0;
    for (let left = count; left > 0;) {
      const used = this.bit & 7;
      const take = Math.min(8 - used, left);
      const byte = this.data[this.bit >> 3] ?? 0;
      value = value * 2 ** take + ((byte >> (8 - used - take)) & ((1 << take) - 1));
      this.bit += take;
      left -= take;
    }
    return value;
  }

  skip(count: number): void {
    this.bit += count;
  }
}
