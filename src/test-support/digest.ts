import { createHash } from 'node:crypto';

/** The digest of some bytes, of the same kind as another: Node's own, apart from whatever made that. */
export const digestLike = (other: string, data: Uint8Array): string =>
  createHash(other.length === 128 ? 'sha512' : 'sha256')
    .update(data)
    .digest('hex');
