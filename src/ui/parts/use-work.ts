import { useCallback, useEffect, useRef, useState } from 'react';
import type { Problem } from '@/contract';
import { problemOf } from '@/store/api';

interface Progress {
  readonly done: number;
  readonly total: number;
}
/** What all such work says beside its result. */
type WorkLine = ({ readonly type: 'progress' } & Progress) | { readonly type: 'failed'; readonly problem: Problem };

/** Long work of the engine that says how far it is: its progress, what went wrong, and the way to stop it. It ends with the page. */
export function useWork(): {
  /** Null while nothing is under way. */
  readonly progress: Progress | null;
  readonly problem: Problem | null;
  readonly clear: () => void;
  /** @param work hands on what it hears, but for its result. */
  readonly start: (work: (hear: (line: WorkLine) => void, signal: AbortSignal) => Promise<void>) => void;
  readonly stop: () => void;
} {
  const [progress, setProgress] = useState<Progress | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const running = useRef<AbortController | null>(null);
  useEffect(
    () => () => {
      running.current?.abort();
    },
    [],
  );
  const clear = useCallback(() => {
    setProblem(null);
  }, []);
  const stop = useCallback(() => {
    running.current?.abort();
    setProgress(null);
  }, []);
  const start = useCallback((work: (hear: (line: WorkLine) => void, signal: AbortSignal) => Promise<void>) => {
    const controller = new AbortController();
    running.current = controller;
    setProblem(null);
    setProgress({ done: 0, total: 0 });
    const hear = (line: WorkLine) => {
      if (line.type === 'progress') setProgress(line);
      else setProblem(line.problem);
    };
    work(hear, controller.signal)
      .catch((error: unknown) => {
        if (!controller.signal.aborted) setProblem(problemOf(error));
      })
      .finally(() => {
        if (running.current === controller) setProgress(null);
      });
  }, []);
  return { progress, problem, clear, start, stop };
}
