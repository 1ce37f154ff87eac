import { useCallback, useState } from 'react';
import type { Problem } from '@/contract';
import { problemOf } from '@/store/api';

/** Runs an action that may fail: whether it runs, and what went wrong. */
export function useAction(): {
  readonly busy: boolean;
  readonly problem: Problem | null;
  readonly clear: () => void;
  readonly run: (action: () => Promise<unknown>) => Promise<boolean>;
} {
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  const run = useCallback(async (action: () => Promise<unknown>) => {
    setBusy(true);
    setProblem(null);
    try {
      await action();
      return true;
    } catch (error) {
      setProblem(problemOf(error));
      return false;
    } finally {
      setBusy(false);
    }
  }, []);
  const clear = useCallback(() => {
    setProblem(null);
  }, []);
  return { busy, problem, clear, run };
}
