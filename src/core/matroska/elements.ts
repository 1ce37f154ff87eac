import { DiscError, type Where } from '../bytes';

/** Elements as they are found in a file. RFC 8794. */

export interface Element {
  readonly id: number;
  readonly size: number;
  readonly headBytes: number;
}
/** Size of an element that says only that it goes on. */
export const UNKNOWN = -1;

export interface Child {
  readonly id: number;
  readonly data: Uint8Array;
  /** With its head. */
  readonly whole: Uint8Array;
}

/** Reads an identifier and a size. @returns null where they are cut off or not allowed. */
export function readHeadOf(data: Uint8Array, at: number): Element | null {
  const first = data[at] ?? 0;
  const idLength = Math.clz32(first) - 23;
  if (idLength < 1 || idLength > 4 || at + idLength >= data.byteLength) return null;
  let id = 0;
  for (let i = 0; i < idLength; i++) id = id * 256 + (data[at + i] as number);
  const sizeFirst = data[at + idLength] as number;
  const sizeLength = Math.clz32(sizeFirst) - 23;
  if (sizeLength < 1 || sizeLength > 8 || at + idLength + sizeLength > data.byteLength) return null;
  let size = sizeFirst & (0xff >> sizeLength);
  let allOnes = size === 0xff >> sizeLength;
  for (let i = 1; i < sizeLength; i++) {
    const byte = data[at + idLength + i] as number;
    allOnes &&= byte === 0xff;
    size = size * 256 + byte;
  }
  return { id, size: allOnes ? UNKNOWN : size, headBytes: idLength + sizeLength };
}

/** Children of a master held in memory. @throws DiscError `bad-structure` where one leaves its parent. */
export function* children(data: Uint8Array, where: Where): Generator<Child> {
  for (let at = 0; at < data.byteLength;) {
    const element = readHeadOf(data, at);
    if (!element || element.size === UNKNOWN || at + element.headBytes + element.size > data.byteLength) {
      throw new DiscError('bad-structure', { ...where, byteOffset: where.byteOffset + at }, 'An element leaves the element that holds it');
    }
    const end = at + element.headBytes + element.size;
    yield { id: element.id, data: data.subarray(at + element.headBytes, end), whole: data.subarray(at, end) };
    at = end;
  }
}

export const unsigned = (data: Uint8Array): number => data.reduce((n, byte) => n * 256 + byte, 0);
const decoder = new TextDecoder();
export const textOf = (data: Uint8Array): string => decoder.decode(data);
