import type { MessagePort } from 'node:worker_threads';

/** What the thread that hashes is asked, and what it answers. Apart from both, so that little else is loaded into it. */

/** Buffers are given away, and come back with the answer: shared memory would be much slower to fill. */
export type SumsOrder =
  /** Bytes of several hashes, in their order; see `RECORD_HEAD_BYTES`. */
  | { readonly kind: 'bytes'; readonly buffer: ArrayBuffer; readonly end: number }
  | { readonly kind: 'digest'; readonly id: number }
  /** A part of a file: its CRC-32 from a place on is put, little-endian, where it is said, and all of it is written. */
  | {
      readonly kind: 'seal';
      readonly id: number;
      readonly buffer: ArrayBuffer;
      readonly bytes: number;
      readonly sumAt: number;
      readonly from: number;
      readonly file: number;
      readonly offset: number;
    };
export type SumsAnswer =
  | { readonly kind: 'bytes'; readonly buffer: ArrayBuffer }
  | { readonly kind: 'digest'; readonly digest: string }
  | { readonly kind: 'sealed'; readonly id: number; readonly buffer: ArrayBuffer }
  /** Of one order; of all that follow where it has no number. */
  | { readonly kind: 'failed'; readonly id: number | null; readonly message: string; readonly code: string | undefined };
export interface SumsWork {
  readonly port: MessagePort;
  /** How many answers were given: what is blocked waits on it. */
  readonly answers: Int32Array<SharedArrayBuffer>;
}

/** Which hash, and how many bytes of it follow: 32 bits each, little-endian. */
export const RECORD_HEAD_BYTES = 8;
