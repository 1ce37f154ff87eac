import { createHash as nodeHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { crc32 as zlibCrc32 } from 'node:zlib';
import { Blake3Hasher } from '@napi-rs/blake-hash';
import type { CreateHash } from '@/core/proof';

/** BLAKE3: as strong as SHA-256 for this purpose, and ten times as fast where the processor has no SHA instructions. */
export const createPayloadHash: CreateHash = () => {
  const hasher = new Blake3Hasher();
  return {
    update: (data) => void hasher.update(Buffer.from(data.buffer, data.byteOffset, data.byteLength)),
    digest: () => hasher.digest('hex'),
  };
};

/** CRC-32 by zlib; the plain one in core is its specification. */
export const fastCrc32 = (data: Uint8Array): number => zlibCrc32(data);

/** SHA-256 of a finished file: what manifests want. Lower-case hexadecimal. */
export async function sha256File(file: string, signal?: AbortSignal): Promise<string> {
  const hash = nodeHash('sha256');
  for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024, ...(signal ? { signal } : {}) }))
    hash.update(chunk as Buffer);
  return hash.digest('hex');
}
