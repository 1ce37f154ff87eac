/** Where something is wrong: a place in a named source, never in a view of it. */
export interface Where {
  /** File or image as the user knows it. */
  readonly source: string;
  /** Offset in bytes from the start of that source. */
  readonly byteOffset: number;
  /** Structure of the standard that was being read. */
  readonly structure?: string;
}

/** One line of advice per code; a new code without advice does not compile. */
const WHAT_TO_DO = {
  'ended-early': 'Copy the image again: it is shorter than its own tables say.',
  'bad-signature': 'Check that this is the right file, and that it was copied whole.',
  'bad-structure': 'The structure contradicts itself. The other titles can still be used.',
  'out-of-range': 'A value lies outside what the standard allows. The other titles can still be used.',
  'not-a-disc': 'Choose a disc image, a folder that holds VIDEO_TS or BDMV, or a video file.',
  'not-found': 'Check that the source is complete: a file that its tables name is not there.',
  'read-failed': 'Clean the disc or try another drive, then read again.',
  'other-disc': 'Insert the disc that this was planned from, or read this one first.',
  'source-gone': 'Put the disc back in, then go on: what was read is kept.',
  scrambled: 'This material is copy protected and can only be described, not taken.',
  'bad-map': 'The file beside the image is not its map: take it away to read the image as whole, or put the right one there.',
  unsupported: 'The structure is valid, but this version can not use it.',
  cancelled: 'Nothing. It was stopped on request.',
} as const;

export type DiscErrorCode = keyof typeof WHAT_TO_DO;

/** Foreign bytes that are wrong: what, where, and what the user can do. Our own mistakes are plain `Error`s. */
export class DiscError extends Error {
  override readonly name = 'DiscError';
  readonly whatToDo: string;
  constructor(
    readonly code: DiscErrorCode,
    readonly where: Where,
    readonly detail: string,
    options?: ErrorOptions,
  ) {
    super(`${detail} (${where.structure ?? 'data'} at ${where.source}, byte ${where.byteOffset})`, options);
    this.whatToDo = WHAT_TO_DO[code];
  }
}

/** True for errors that say that the medium can not be read there, or has ended. */
export const isDamage = (error: unknown): boolean =>
  error instanceof DiscError && (error.code === 'read-failed' || error.code === 'ended-early');

/** What a piece of work gives, or something else where the medium is damaged there. Anything else that goes wrong goes on as it is. */
export async function unlessDamaged<T, U>(work: Promise<T>, instead: U): Promise<T | U> {
  try {
    return await work;
  } catch (error) {
    if (isDamage(error)) return instead;
    throw error;
  }
}

/** @throws DiscError `cancelled` when the signal has been raised. */
export function throwIfCancelled(signal: AbortSignal | undefined, source: string): void {
  if (signal?.aborted) throw new DiscError('cancelled', { source, byteOffset: 0 }, 'Stopped on request');
}
