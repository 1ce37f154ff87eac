/** A running hash of bytes, brought by the machine: BLAKE3 in Node. */
export interface PayloadHash {
  update(data: Uint8Array): void;
  /** Lower-case hexadecimal. */
  digest(): string;
}

export type CreateHash = () => PayloadHash;

/** Name written beside every payload hash. */
export const PAYLOAD_HASH = 'BLAKE3-256';

const BATCH_BYTES = 16 * 1024;

/** A hash that is given small pieces many at a time: a call costs more than the bytes of a frame of sound. */
export class BatchedHash implements PayloadHash {
  private readonly batch = new Uint8Array(BATCH_BYTES);
  private held = 0;

  constructor(private readonly hash: PayloadHash) {}

  update(data: Uint8Array): void {
    if (this.held + data.byteLength > BATCH_BYTES) this.flush();
    if (data.byteLength >= BATCH_BYTES) {
      this.hash.update(data);
      return;
    }
    this.batch.set(data, this.held);
    this.held += data.byteLength;
  }

  digest(): string {
    this.flush();
    return this.hash.digest();
  }

  private flush(): void {
    if (this.held > 0) this.hash.update(this.batch.subarray(0, this.held));
    this.held = 0;
  }
}
