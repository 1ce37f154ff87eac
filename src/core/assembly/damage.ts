import { DiscError } from '../bytes';

/** True for errors that say that the medium can not be read there, or has ended. */
export const isDamage = (error: unknown): boolean =>
  error instanceof DiscError && (error.code === 'read-failed' || error.code === 'ended-early');
