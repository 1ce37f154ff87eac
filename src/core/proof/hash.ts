/** A running hash of bytes, brought by the machine: BLAKE3 in Node. It is given pieces of any size; where a call costs, it gathers them. */
export interface PayloadHash {
  update(data: Uint8Array): void;
  /** Lower-case hexadecimal. */
  digest(): string;
}

export type CreateHash = () => PayloadHash;

/** Name written beside every payload hash. */
export const PAYLOAD_HASH = 'BLAKE3-256';
