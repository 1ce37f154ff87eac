import { DiscError } from './error';

/** Random access to bytes that do not change: a file, a drive, a part of either. */
export interface ByteSource {
  /** What the user calls it, for messages. */
  readonly name: string;
  readonly sizeBytes: number;
  /**
   * Fills `target` from `offset` on.
   * @returns the number of bytes read; fewer than asked only at the end of the source.
   * @throws DiscError `read-failed` when the medium can not be read there.
   */
  read(offset: number, target: Uint8Array): Promise<number>;
  /** Stretches, by their bytes, of which it is known without reading that they can not be read. */
  gaps?(offset: number, length: number): readonly Gap[];
}

/** Bytes from `from` to before `to`. */
export interface Gap {
  readonly from: number;
  readonly to: number;
}

/** Structures of a disc are small; what asks for more than this in one piece is not believed. */
const MAX_STRUCTURE_BYTES = 64 * 1024 * 1024;

/**
 * Reads a structure whole.
 * @throws DiscError `ended-early` when the source ends before, `out-of-range` when `length` is not believable.
 */
export async function readExactly(source: ByteSource, offset: number, length: number, structure: string): Promise<Uint8Array> {
  const where = { source: source.name, byteOffset: offset, structure };
  if (length < 0 || length > MAX_STRUCTURE_BYTES) {
    throw new DiscError('out-of-range', where, `${structure} says that it is ${length} bytes long`);
  }
  if (offset < 0 || offset + length > source.sizeBytes) {
    throw new DiscError('ended-early', where, `${structure} would end at byte ${offset + length}, the source ends at ${source.sizeBytes}`);
  }
  const data = new Uint8Array(length);
  const got = await source.read(offset, data);
  if (got < length) throw new DiscError('ended-early', where, `${structure} needs ${length} bytes, ${got} could be read`);
  return data;
}

/** Bytes in memory as a source. */
export function memorySource(name: string, data: Uint8Array): ByteSource {
  return {
    name,
    sizeBytes: data.byteLength,
    read: (offset, target) => {
      const chunk = data.subarray(Math.min(offset, data.byteLength), Math.min(offset + target.byteLength, data.byteLength));
      target.set(chunk);
      return Promise.resolve(chunk.byteLength);
    },
  };
}

/** A browser `File` or any `Blob` as a source: read slice by slice, never as a whole. */
export function blobSource(name: string, blob: Blob): ByteSource {
  return {
    name,
    sizeBytes: blob.size,
    read: async (offset, target) => {
      const chunk = new Uint8Array(await blob.slice(offset, offset + target.byteLength).arrayBuffer());
      target.set(chunk);
      return chunk.byteLength;
    },
  };
}

/** A run of bytes in another source. */
export interface Extent {
  readonly source: ByteSource;
  readonly offset: number;
  readonly length: number;
}

/** Joins extents to one source, in order: a file in pieces, or the files of a title set. */
export function extentSource(name: string, extents: readonly Extent[]): ByteSource {
  const starts: number[] = [];
  let sizeBytes = 0;
  for (const extent of extents) {
    starts.push(sizeBytes);
    sizeBytes += extent.length;
  }
  return {
    name,
    sizeBytes,
    gaps: (offset, length) =>
      extents.flatMap((extent, i) => {
        const start = starts[i] as number;
        const [from, to] = [Math.max(0, offset - start), Math.min(extent.length, offset + length - start)];
        if (from >= to || !extent.source.gaps) return [];
        const shift = start - extent.offset;
        return extent.source.gaps(extent.offset + from, to - from).map((g) => ({ from: g.from + shift, to: g.to + shift }));
      }),
    read: async (offset, target) => {
      let done = 0;
      for (let i = 0; i < extents.length && done < target.byteLength; i++) {
        const extent = extents[i] as Extent;
        const inside = offset + done - (starts[i] as number);
        if (inside < 0 || inside >= extent.length) continue;
        const want = Math.min(extent.length - inside, target.byteLength - done);
        const got = await extent.source.read(extent.offset + inside, target.subarray(done, done + want));
        done += got;
        if (got < want) break;
      }
      return done;
    },
  };
}

const PAGE_BYTES = 64 * 1024;
const MAX_PAGES = 64;

/**
 * A source that remembers what was read lately, in pages: the structures of a file system are many, small and close
 * together, and a drive pays for every reading. Meant for structures, not for content.
 */
export function cachedSource(source: ByteSource): ByteSource {
  const pages = new Map<number, Promise<Uint8Array>>();
  const load = async (index: number): Promise<Uint8Array> => {
    const bytes = Math.min(PAGE_BYTES, source.sizeBytes - index * PAGE_BYTES);
    const data = new Uint8Array(bytes);
    return data.subarray(0, await source.read(index * PAGE_BYTES, data));
  };
  const page = (index: number): Promise<Uint8Array> => {
    const known = pages.get(index);
    if (known) pages.delete(index); // set again below: the map's order is the order of use
    const wanted = known ?? load(index);
    pages.set(index, wanted);
    for (const oldest of pages.keys()) {
      if (pages.size <= MAX_PAGES) break;
      pages.delete(oldest);
    }
    wanted.catch(() => pages.delete(index)); // a place that could not be read may be read another time
    return wanted;
  };
  return {
    name: source.name,
    sizeBytes: source.sizeBytes,
    read: async (offset, target) => {
      let done = 0;
      while (done < target.byteLength && offset + done < source.sizeBytes) {
        const at = offset + done;
        const index = Math.floor(at / PAGE_BYTES);
        let data: Uint8Array;
        try {
          data = await page(index);
        } catch {
          // Something in the page is unreadable, perhaps not what is asked for.
          return done + (await source.read(at, target.subarray(done)));
        }
        const chunk = data.subarray(at - index * PAGE_BYTES, at - index * PAGE_BYTES + target.byteLength - done);
        if (chunk.byteLength === 0) break;
        target.set(chunk, done);
        done += chunk.byteLength;
      }
      return done;
    },
  };
}
