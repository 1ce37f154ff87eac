import { useEffect, useRef, useState } from 'react';
import type { Recipe } from '@/core/recipes';
import type { Problem } from '@/contract';
import { problemOf } from '@/store/api';
import { rehearse } from '@/store/looks';
import type { ReadableSource } from '@/store/sources';
import type { Rehearsed } from './rehearsed';

interface Shown {
  readonly before: string;
  /** One eye's picture: that on which bars are marked. */
  readonly plain: string;
  /** Treated, and once that is there encoded; null where nothing is encoded. */
  readonly after: string | null;
  readonly isEncoded: boolean;
  readonly bytesPerSecond: number | null;
  readonly pace: number | null;
}

/** The slider rests so long before its pictures are asked for. */
const REST_MS = 250;

/** Pictures of a moment with a recipe. While others are on their way, the last ones stay. */
export function useRehearsal(on: Rehearsed, source: ReadableSource, recipe: Recipe, atMs: number) {
  const [shown, show] = useState<Shown | null>(null);
  const [busy, setBusy] = useState(true);
  const [problem, setProblem] = useState<Problem | null>(null);
  const asked = useRef(false);
  const { disc, title, reel } = on;
  const { ref } = source;
  useEffect(() => {
    const leave = new AbortController();
    const timer = setTimeout(
      () => {
        setProblem(null);
        setBusy(true);
        const wish = { source: ref, reading: disc.reading, title: title.number };
        rehearse(
          wish,
          { reel, recipe, atMs },
          (line) => {
            if (line.type === 'failed') setProblem(line.problem);
            else if (line.type === 'pictures')
              show({
                before: line.before,
                plain: line.plain ?? line.before,
                after: line.treated,
                isEncoded: false,
                bytesPerSecond: null,
                pace: null,
              });
            else
              show(
                (last) => last && { ...last, after: line.picture, isEncoded: true, bytesPerSecond: line.bytesPerSecond, pace: line.pace },
              );
          },
          leave.signal,
        )
          .catch((error: unknown) => {
            if (!leave.signal.aborted) setProblem(problemOf(error));
          })
          .finally(() => {
            if (!leave.signal.aborted) setBusy(false);
          });
      },
      asked.current ? REST_MS : 0,
    );
    asked.current = true;
    return () => {
      clearTimeout(timer);
      leave.abort();
    };
    // The same source is another object with every state of the engine.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [disc.reading, title.number, reel, recipe, atMs]);
  return {
    shown,
    busy,
    problem,
    clear: () => {
      setProblem(null);
    },
  };
}
