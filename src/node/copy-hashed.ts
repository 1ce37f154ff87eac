import { open } from 'node:fs/promises';
import type { DigestAlgorithm } from '@/core/proof';
import { createDigest } from './hash';

const CHUNK_BYTES = 1024 * 1024;

/**
 * Writes a new file from what is read piece by piece, and hashes it on the way; it is flushed.
 * @param algorithms what digests are wanted of it. @param read fills its target from an offset on. @returns how much; 0 at the end.
 * @throws what `read` throws; system errors, also where the file is there already.
 */
export async function copyHashed(
  read: (offset: number, target: Uint8Array) => Promise<number>,
  to: string,
  algorithms: readonly DigestAlgorithm[],
  onBytes: (bytes: number) => void,
): Promise<{ digests: ReadonlyMap<DigestAlgorithm, string>; bytes: number }> {
  const target = await open(to, 'wx');
  try {
    const hashes = new Map([...new Set(algorithms)].map((a) => [a, createDigest(a)]));
    const buffer = Buffer.allocUnsafe(CHUNK_BYTES);
    let bytes = 0;
    for (;;) {
      const got = await read(bytes, buffer);
      if (got === 0) break;
      for (const hash of hashes.values()) hash.update(buffer.subarray(0, got));
      for (let put = 0; put < got;) put += (await target.write(buffer, put, got - put, bytes + put)).bytesWritten;
      bytes += got;
      onBytes(got);
    }
    await target.sync();
    return { digests: new Map([...hashes].map(([a, hash]) => [a, hash.digest('hex')])), bytes };
  } finally {
    await target.close();
  }
}
