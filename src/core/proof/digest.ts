/** Digests by which files are known again after years: FIPS 180-4, of which RFC 8493 takes either. */
export const DIGEST_ALGORITHMS = ['SHA-256', 'SHA-512'] as const;
export type DigestAlgorithm = (typeof DIGEST_ALGORITHMS)[number];

/** A digest in lower-case hexadecimal, of either. */
export const DIGEST = /^(?:[0-9a-f]{64}|[0-9a-f]{128})$/;

/** What a digest was made by: its length tells. @param digest hexadecimal. */
export const algorithmOf = (digest: string): DigestAlgorithm => (digest.length > 64 ? 'SHA-512' : 'SHA-256');
