/** Heads of blocks, written where they stand: a file of hours has hundreds of thousands of them. */

/** Before a frame that was put together where it stands: identifier, size in four bytes, head of a block. */
export const PLACED_HEAD_BYTES = 1 + 4 + 4;

/** A one-byte identifier and a size, without making an array for each. @param long always in four bytes. */
export function putHead(target: Uint8Array, at: number, id: number, size: number, long = false): number {
  target[at] = id;
  if (long) return putLongSize(target, at + 1, size);
  if (size < 127) target[at + 1] = 0x80 | size;
  else if (size < 16383) {
    target[at + 1] = 0x40 | (size >> 8);
    target[at + 2] = size & 0xff;
    return at + 3;
  } else return putLongSize(target, at + 1, size);
  return at + 2;
}

/** A size in four bytes (RFC 8794 section 4). @returns where it ends. */
function putLongSize(target: Uint8Array, at: number, size: number): number {
  if (size >= 2 ** 28 - 1) throw new RangeError('A frame of 256 MiB is no frame');
  target[at] = 0x10 | (size >>> 24);
  target[at + 1] = (size >>> 16) & 0xff;
  target[at + 2] = (size >>> 8) & 0xff;
  target[at + 3] = size & 0xff;
  return at + 4;
}

/** Track number (below 127), relative timestamp, flags: RFC 9559 section 10.1. */
export function putBlockHead(target: Uint8Array, at: number, track: number, relative: number, flags: number): number {
  target[at] = 0x80 | track;
  target[at + 1] = (relative >> 8) & 0xff;
  target[at + 2] = relative & 0xff;
  target[at + 3] = flags;
  return at + 4;
}
