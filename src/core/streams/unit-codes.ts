import { findStartCode } from './mpeg-video';
import { UNIT_CODES_WASM } from './unit-codes-wasm';

/** First code that is no slice of MPEG-1 or MPEG-2, after the picture's own zero (13818-2 table 6-1: slices are 01 to AF). */
export const FIRST_BEYOND_SLICES = 0xb0;
/** Every code counts: for streams of NAL units, where what follows the start code is the unit's own head. */
export const ANY_CODE = 0;

/**
 * The slices of a picture as far as they have been passed over. Their codes are the rows of macroblocks that they begin in, from 1, and
 * never go back: 13818-2 6.1.2 and 6.2.4, slice_vertical_position. Seeing one twice changes nothing.
 */
export interface SliceRows {
  /** Row of the last slice; 0 where none has come. */
  row: number;
  /** Rows before it that had none. */
  skipped: number;
}

const seeSlice = (rows: SliceRows, row: number): void => {
  if (row <= rows.row) return;
  rows.skipped += row - rows.row - 1;
  rows.row = row;
};

/**
 * Finds the next start code with a code of zero or from `least` on. A picture of MPEG-2 has dozens of slices, and nothing
 * in them is of interest here but that they are there. The plain specification of what `unit-codes.wat` does faster.
 * @param end first byte that is no longer valid; the code byte itself stands before it.
 * @param rows counts the slices passed over.
 * @returns index of the first zero, or -1.
 */
export function findUnitCode(
  data: Uint8Array,
  from: number,
  end: number,
  least: number = FIRST_BEYOND_SLICES,
  rows: SliceRows | null = null,
): number {
  for (let at = findStartCode(data, from, end); at >= 0; at = findStartCode(data, at + 3, end)) {
    const code = data[at + 3] as number;
    if (code === 0 || code >= least) return at;
    if (rows) seeSlice(rows, code);
  }
  return -1;
}

/** Bytes of a stream in memory that can grow, and the search in them. */
export interface ByteStore {
  /** Changes when the store grows. */
  readonly bytes: Uint8Array;
  /** Makes room for at least `bytes` bytes; what is there stays where it is. */
  grow(bytes: number): void;
  /** As `findUnitCode`, over this store's bytes. */
  findUnitCode(from: number, end: number, least: number): number;
  /** The slices that the search has passed over since the last call. */
  takeSliceRows(): SliceRows;
  /** It is not used any more: another stream may have its room. */
  release(): void;
}

export function plainStore(capacityBytes: number): ByteStore {
  let bytes = new Uint8Array(capacityBytes);
  let rows: SliceRows = { row: 0, skipped: 0 };
  return {
    get bytes() {
      return bytes;
    },
    grow: (wanted) => {
      if (wanted <= bytes.byteLength) return;
      const larger = new Uint8Array(wanted);
      larger.set(bytes);
      bytes = larger;
    },
    findUnitCode: (from, end, least) => findUnitCode(bytes, from, end, least, rows),
    takeSliceRows: () => {
      const seen = rows;
      rows = { row: 0, skipped: 0 };
      return seen;
    },
    release: () => {
      bytes = new Uint8Array(0);
    },
  };
}

const PAGE_BYTES = 65_536;
const pages = (bytes: number) => Math.ceil(bytes / PAGE_BYTES);

let compiled: WebAssembly.Module | null | undefined;

/** The compiled kernel; null where this machine has no WebAssembly with SIMD. */
function kernel(): WebAssembly.Module | null {
  if (compiled === undefined) {
    try {
      compiled = new WebAssembly.Module(Uint8Array.from(atob(UNIT_CODES_WASM), (c) => c.charCodeAt(0)));
    } catch {
      compiled = null; // the plain search finds the same, only slower
    }
  }
  return compiled;
}

interface Kernel {
  readonly memory: WebAssembly.Memory;
  readonly find: (from: number, end: number, least: number) => number;
  readonly row: WebAssembly.Global<'i32'>;
  readonly skipped: WebAssembly.Global<'i32'>;
}

/** Instances that were used and may be again: pictures of a title are dozens of streams of which one frame is wanted. */
const spare: Kernel[] = [];
const MOST_SPARE = 4;
const MOST_SPARE_BYTES = 16 * 1024 * 1024;

/** A store whose search runs over the bytes where they lie, sixteen at a time; a plain one where that is not possible. */
export function scanningStore(capacityBytes: number): ByteStore {
  const compiledKernel = kernel();
  if (!compiledKernel) return plainStore(capacityBytes);
  let used: Kernel | null = spare.pop() ?? (new WebAssembly.Instance(compiledKernel).exports as unknown as Kernel);
  const { memory, find, row, skipped } = used;
  row.value = 0;
  skipped.value = 0;
  memory.grow(Math.max(0, pages(capacityBytes) - pages(memory.buffer.byteLength)));
  let bytes = new Uint8Array(memory.buffer);
  return {
    get bytes() {
      return bytes;
    },
    grow: (wanted) => {
      if (wanted <= bytes.byteLength) return;
      memory.grow(pages(wanted) - pages(bytes.byteLength)); // detaches every view of the old buffer
      bytes = new Uint8Array(memory.buffer);
    },
    findUnitCode: find,
    takeSliceRows: () => {
      const seen = { row: row.value, skipped: skipped.value };
      row.value = 0;
      skipped.value = 0;
      return seen;
    },
    release: () => {
      if (used && bytes.byteLength <= MOST_SPARE_BYTES && spare.length < MOST_SPARE) spare.push(used);
      used = null;
      bytes = new Uint8Array(0);
    },
  };
}
