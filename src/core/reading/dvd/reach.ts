import { unlessDamaged, type ByteSource } from '../../bytes';

/** Unreadable is not the same as not there. */
const reads = async (source: ByteSource, offset: number) => (await unlessDamaged(source.read(offset, new Uint8Array(1)), 1)) === 1;

/** Bytes of a source that can be had: fewer than its size where the image was cut short. Found by halving. */
export async function reachOf(source: ByteSource): Promise<number> {
  if (source.sizeBytes === 0 || (await reads(source, source.sizeBytes - 1))) return source.sizeBytes;
  let low = 0;
  let high = source.sizeBytes;
  while (low < high) {
    const middle = Math.floor((low + high) / 2);
    if (await reads(source, middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}
