import { z } from 'zod';
import { DIGEST, DIGEST_ALGORITHMS, algorithmOf } from '@/core/proof/digest';

export const DigestSchema = z.string().regex(DIGEST);

/** As it is written down: with its algorithm, for people and programs that do not know that its length tells. */
const digested = { digestAlgorithm: z.enum(DIGEST_ALGORITHMS).default('SHA-256'), digest: DigestSchema };

/** What stood there before files had digests of two kinds was SHA-256, and was called so. */
export function withDigest(written: unknown): unknown {
  if (typeof written !== 'object' || written === null || 'digest' in written || !('sha256' in written)) return written;
  const { sha256, ...rest } = written;
  return { ...rest, digest: sha256 };
}

/** Of a file, as sidecars have it. @param shape what else is said of it. */
export const digestedFile = <S extends z.ZodRawShape>(shape: S) =>
  z.preprocess(
    withDigest,
    z.object({ name: z.string(), sizeBytes: z.number().int().nonnegative(), ...digested, ...shape }).refine((file) => {
      const { digestAlgorithm, digest } = file as { digestAlgorithm: string; digest: string };
      return digestAlgorithm === algorithmOf(digest);
    }, 'a digest of another kind than it says'),
  );
