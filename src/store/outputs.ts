import { useEffect, useState, useSyncExternalStore } from 'react';
import type { Output, UnreadSidecar, VaultEntry } from '@/contract';
import { call } from './api';
import { useEngine } from './engine';

export interface Vault {
  readonly entries: readonly VaultEntry[];
  readonly unread: readonly UnreadSidecar[];
}

let vault: Vault | null = null;
let asked = '';
const listeners = new Set<() => void>();

/** The whole list, page by page; where it changes on the way it is begun again. */
export async function fetchVault(): Promise<Vault> {
  for (;;) {
    const first = await call('outputs');
    const entries = [...first.outputs];
    let isSame = true;
    while (isSame && entries.length < first.total) {
      const page = await call('outputs', { query: { from: String(entries.length) } });
      isSame = page.stamp === first.stamp && page.outputs.length > 0;
      entries.push(...page.outputs);
    }
    if (isSame) return { entries, unread: first.unread };
  }
}

async function load(key: string): Promise<void> {
  if (asked === key) return;
  asked = key;
  try {
    vault = await fetchVault();
    for (const listener of listeners) listener();
  } catch {
    asked = ''; // asked again when the engine is back
  }
}

/** What exists on library storage; read again whenever the engine says that it has changed. Null until known. */
export function useVault(): Vault | null {
  const { state } = useEngine();
  const key = state ? `${state.boot} ${state.outputs} ${state.jobs.filter((j) => j.state === 'done').length}` : '';
  useEffect(() => {
    if (key) void load(key);
  }, [key]);
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => vault,
    () => null,
  );
}

export const useOutputs = (): readonly VaultEntry[] | null => useVault()?.entries ?? null;

/** One result with its whole sidecar; asked for again when its entry changes. Null until it is there. */
export function useOutput(entry: VaultEntry | undefined): Output | null {
  const [found, setFound] = useState<Output | null>(null);
  const id = entry?.id;
  const version = entry ? `${entry.id} ${entry.presence} ${entry.seal} ${entry.sizeBytes} ${entry.sidecar.madeAt}` : '';
  useEffect(() => {
    if (id === undefined) return;
    let isCurrent = true;
    void call('output', { id }).then(
      (output) => {
        if (isCurrent) setFound(output);
      },
      () => undefined, // it went away: the list says so with its next state
    );
    return () => {
      isCurrent = false;
    };
  }, [id, version]);
  return found?.id === id ? found : null;
}
