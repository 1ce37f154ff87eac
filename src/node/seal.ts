import { createHash } from 'node:crypto';
import type { Sidecar } from '@/contract';

/** JSON with the keys of every object in order: the same content is the same text, however it was written. */
function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(',')}]`;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value);
  const entries = Object.entries(value).filter(([, v]) => v !== undefined);
  return `{${entries
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([k, v]) => `${JSON.stringify(k)}:${canonical(v)}`)
    .join(',')}}`;
}

/**
 * The seal of a sidecar as it was read from its file: SHA-256 over everything else in it. An edit shows by it; it is no signature,
 * since whoever makes it anew can make another.
 */
export function sealOf(sidecar: Readonly<Record<string, unknown>>): string {
  const rest = Object.fromEntries(Object.entries(sidecar).filter(([key]) => key !== 'seal'));
  return createHash('sha256').update(canonical(rest)).digest('hex');
}

export type SealState = 'whole' | 'broken' | 'none';

/** @param written the sidecar's JSON as it stands in the file, before anything is put in for what it lacks. */
export function sealState(written: unknown): SealState {
  if (typeof written !== 'object' || written === null || !('seal' in written) || typeof written.seal !== 'string') return 'none';
  return sealOf({ ...written }) === written.seal ? 'whole' : 'broken';
}

export const sealed = (sidecar: Sidecar): Sidecar => ({
  ...sidecar,
  seal: sealOf(JSON.parse(JSON.stringify(sidecar)) as Record<string, unknown>),
});
