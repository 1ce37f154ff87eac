import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Output, OrphanFilm, Problem, UnreadSidecar, VaultEntry } from '@/contract';
import { call, problemOf } from './api';
import { useEngine } from './engine';

export interface Vault {
  readonly entries: readonly VaultEntry[];
  readonly unread: readonly UnreadSidecar[];
  readonly orphans: readonly OrphanFilm[];
}

/** The whole list, page by page; where it changes on the way it is begun again. */
export async function fetchVault(signal?: AbortSignal): Promise<Vault> {
  for (;;) {
    const first = await call('outputs', { signal });
    const entries = [...first.outputs];
    let isSame = true;
    while (isSame && entries.length < first.total) {
      const page = await call('outputs', { query: { from: String(entries.length) }, signal });
      isSame = page.stamp === first.stamp && page.outputs.length > 0;
      entries.push(...page.outputs);
    }
    if (isSame) return { entries, unread: first.unread, orphans: first.orphans };
  }
}

/** What exists on library storage; read again whenever the engine says that it has changed. Null until known. */
export function useVault(): Vault | null {
  const { state } = useEngine();
  const key = state && [state.boot, state.outputs, state.jobs.filter((j) => j.state === 'done').length];
  const { data } = useQuery({
    queryKey: ['vault', key],
    queryFn: ({ signal }) => fetchVault(signal),
    enabled: key !== null,
    // The list before stays until the new one is there.
    placeholderData: keepPreviousData,
  });
  return data ?? null;
}

export const useOutputs = (): readonly VaultEntry[] | null => useVault()?.entries ?? null;

/** One result with its whole sidecar; asked for again when its entry changes. */
export function useOutput(entry: VaultEntry | undefined): { readonly output: Output | null; readonly problem: Problem | null } {
  const { data, error } = useQuery({
    queryKey: ['output', entry?.id, entry?.presence, entry?.seal, entry?.sizeBytes, entry?.sidecar.madeAt],
    queryFn: ({ signal }) => call('output', { id: entry?.id ?? '', signal }),
    enabled: entry !== undefined,
  });
  return { output: data ?? null, problem: error ? problemOf(error) : null };
}
