export { PAYLOAD_HASH, type CreateHash, type PayloadHash } from './hash';
export { proveMaster, type Check, type FilePart, type Proof, type ProofOptions } from './prove-master';
export { proveAccess } from './prove-access';
