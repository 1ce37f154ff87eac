import { MASTER } from '@/core/recipes';
import type { CheckResult, VaultEntry } from '@/contract';

/** Which files of the vault are listed, and in which order. */

export const NARROWED = ['all', 'masters', 'copies', 'eyes'] as const;
export type Narrowed = (typeof NARROWED)[number];
export const SORTED = ['made', 'name', 'disc', 'size'] as const;
export type Sorted = (typeof SORTED)[number];

export interface VaultFilter {
  /** Looked for in names, paths and discs, whatever their case; each of them must be found. */
  readonly words: string;
  readonly narrowed: Narrowed;
  /** Empty for any. */
  readonly storage: string;
  readonly sorted: Sorted;
}

/** Something is to be said of it: it is gone or changed, its sidecar is not as it was written, its proof failed, or its disc was not whole. */
export const wantsEyes = ({ id, presence, seal, sidecar }: VaultEntry, differing: ReadonlyMap<string, CheckResult>): boolean =>
  presence !== 'present' || seal === 'broken' || differing.has(id) || !sidecar.proof.passed || (sidecar.promise.wholeness?.damage ?? 0) > 0;

const text = new Intl.Collator('en', { numeric: true, sensitivity: 'base' });
const ORDER: Readonly<Record<Sorted, (a: VaultEntry, b: VaultEntry) => number>> = {
  made: (a, b) => (a.sidecar.madeAt < b.sidecar.madeAt ? 1 : a.sidecar.madeAt > b.sidecar.madeAt ? -1 : 0),
  name: (a, b) => text.compare(a.sidecar.reel.name, b.sidecar.reel.name),
  disc: (a, b) => text.compare(a.sidecar.disc.label, b.sidecar.disc.label) || text.compare(a.path, b.path),
  size: (a, b) => b.sidecar.file.sizeBytes - a.sidecar.file.sizeBytes,
};

export function filesOf(
  entries: readonly VaultEntry[],
  { words, narrowed, storage, sorted }: VaultFilter,
  differing: ReadonlyMap<string, CheckResult>,
): readonly VaultEntry[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const isIn = (entry: VaultEntry): boolean => {
    if (storage !== '' && entry.storage !== storage) return false;
    if (narrowed === 'masters' && entry.sidecar.recipe !== MASTER) return false;
    if (narrowed === 'copies' && entry.sidecar.recipe === MASTER) return false;
    if (narrowed === 'eyes' && !wantsEyes(entry, differing)) return false;
    if (wanted.length === 0) return true;
    const all = `${entry.sidecar.reel.name} ${entry.path} ${entry.sidecar.disc.label}`.toLowerCase();
    return wanted.every((word) => all.includes(word));
  };
  return entries.filter(isIn).sort((a, b) => ORDER[sorted](a, b) || text.compare(a.path, b.path));
}
