import { concatBytes } from '../bytes';

/**
 * SHA-256 over a disc's structure files one after the other: the same for every copy of the same pressing.
 * @returns 64 hexadecimal digits.
 */
export async function fingerprint(structures: readonly Uint8Array[]): Promise<string> {
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', concatBytes(structures)));
  return [...digest].map((b) => b.toString(16).padStart(2, '0')).join('');
}
