import { useEffect, useSyncExternalStore } from 'react';
import type { Output } from '@/contract';
import { call } from './api';
import { useEngine } from './engine';

let outputs: readonly Output[] | null = null;
let asked = '';
const listeners = new Set<() => void>();

async function load(key: string): Promise<void> {
  if (asked === key) return;
  asked = key;
  try {
    outputs = (await call('outputs')).outputs;
    for (const listener of listeners) listener();
  } catch {
    asked = ''; // asked again when the engine is back
  }
}

/** What exists on library storage; read again whenever the engine says that it has changed. Null until known. */
export function useOutputs(): readonly Output[] | null {
  const { state } = useEngine();
  const key = state ? `${state.boot} ${String(state.outputs)} ${String(state.jobs.filter((j) => j.state === 'done').length)}` : '';
  useEffect(() => {
    if (key) void load(key);
  }, [key]);
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => outputs,
    () => null,
  );
}
