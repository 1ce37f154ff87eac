import { createHash as nodeHash, type Hash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { DIGEST_ALGORITHMS, type DigestAlgorithm } from '@/core/proof';

const TRIAL = Buffer.alloc(512 * 1024, 0x5a);
const TRIALS = 3;
const known = new Map<DigestAlgorithm, number>();

/** What OpenSSL calls an algorithm. */
export const opensslName = (algorithm: DigestAlgorithm): 'sha256' | 'sha512' => (algorithm === 'SHA-512' ? 'sha512' : 'sha256');
export const createDigest = (algorithm: DigestAlgorithm): Hash => nodeHash(opensslName(algorithm));

/** The best of a few short runs, seconds: a busy machine makes one slow, not all. */
function secondsOf(algorithm: DigestAlgorithm): number {
  let best = Infinity;
  for (let i = 0; i < TRIALS; i++) {
    const began = performance.now();
    createDigest(algorithm).update(TRIAL).digest();
    best = Math.min(best, performance.now() - began);
  }
  return best / 1000;
}

/**
 * The algorithm that new files are digested by: the faster one here. Where the processor has instructions for SHA-256 that is the one, and
 * elsewhere SHA-512, which takes words of 64 bits. Tried once in each process, for some milliseconds.
 */
export function fasterDigest(): DigestAlgorithm {
  for (const algorithm of DIGEST_ALGORITHMS) if (!known.has(algorithm)) known.set(algorithm, secondsOf(algorithm));
  const [small, large] = DIGEST_ALGORITHMS.map((a) => known.get(a) ?? 0);
  return (large ?? 0) < (small ?? 0) ? 'SHA-512' : 'SHA-256';
}

/** Digest of a finished file: what manifests want. Lower-case hexadecimal. */
export async function digestFile(file: string, algorithm: DigestAlgorithm, signal?: AbortSignal): Promise<string> {
  const hash = createDigest(algorithm);
  for await (const chunk of createReadStream(file, { highWaterMark: 1024 * 1024, ...(signal ? { signal } : {}) }))
    hash.update(chunk as Buffer);
  return hash.digest('hex');
}
