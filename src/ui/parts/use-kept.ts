import { useCallback, useSyncExternalStore } from 'react';

const listeners = new Set<() => void>();

/** A choice that this browser remembers. What is kept and is no choice any more counts for nothing. */
export function useKept<T extends string>(key: string, choices: readonly T[], first: T): readonly [T, (value: T) => void] {
  const value = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => choices.find((c) => c === localStorage.getItem(key)) ?? first,
    () => first,
  );
  const set = useCallback(
    (next: T) => {
      localStorage.setItem(key, next);
      for (const listener of listeners) listener();
    },
    [key],
  );
  return [value, set];
}
