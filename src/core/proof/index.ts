export { DIGEST, DIGEST_ALGORITHMS, algorithmOf, type DigestAlgorithm } from './digest';
export { PAYLOAD_HASH, type CreateHash, type PayloadHash } from './hash';
export { proveMaster, type Check, type FilePart, type Proof, type ProofOptions } from './prove-master';
export { plainExpectation, proveCopy, type CopyExpectation, type CopyFacts } from './prove-copy';
export type { Left, MasterPromise, TrackPromise } from './promise';
