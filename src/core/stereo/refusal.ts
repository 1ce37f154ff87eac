import { DiscError } from '../bytes';

/** Why both views of a stream can not be shown: the reason is the user's to read. The master keeps them all the same. */
export const refusal = (why: string): DiscError =>
  new DiscError('unsupported', { source: 'the second view', byteOffset: 0, structure: 'H.264 annex H' }, why);

/** A unit that contradicts itself, or ends in the midst of what it has to say. */
export const broken = (what: string): DiscError =>
  new DiscError('bad-structure', { source: 'the picture', byteOffset: 0, structure: 'H.264' }, what);
