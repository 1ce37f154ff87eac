export { PAYLOAD_HASH, type CreateHash, type PayloadHash } from './hash';
export { proveMaster, type Check, type FilePart, type Proof, type ProofOptions } from './prove-master';
export { proveAccess, type AccessFacts } from './prove-access';
export type { Left, MasterPromise, TrackPromise } from './promise';
