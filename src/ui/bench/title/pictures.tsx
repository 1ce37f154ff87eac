'use client';

import { useEffect, useState } from 'react';
import { problemOf } from '@/store/api';
import { fetchPictures, knownPicture, type PictureWish } from '@/store/looks';
import type { Problem } from '@/contract';

/** Pictures asked for at a time: the first come soon. */
const BATCH = 8;

/** Width of the pictures beside chapters; and how many chapters have one. */
export const CHAPTER_WIDTH = 128;
export const MOST_CHAPTER_PICTURES = 60;
/** A little into a chapter: its very first picture is often black. */
export const intoChapter = (startMs: number, durationMs: number): number => startMs + Math.min(1500, durationMs / 3);

/** Fetches pictures in batches and says when more have come. */
export function usePictures(wish: PictureWish | null, moments: readonly number[]): { version: number; problem: Problem | null } {
  const [version, setVersion] = useState(0);
  const [problem, setProblem] = useState<Problem | null>(null);
  const key = wish
    ? `${wish.reading.fingerprint}/${wish.title}/${wish.angle}/${wish.width}/${wish.eyes}/${wish.firstEye} ${moments.join(',')}`
    : '';
  useEffect(() => {
    if (!wish) return;
    let current = true;
    const load = async () => {
      try {
        setProblem(null);
        for (let i = 0; current && i < moments.length; i += BATCH) {
          await fetchPictures(wish, moments.slice(i, i + BATCH));
          if (current) setVersion((v) => v + 1);
        }
      } catch (error) {
        if (current) setProblem(problemOf(error));
      }
    };
    void load();
    return () => {
      current = false;
    };
    // The wish is named by its key: a new object for the same pictures must not ask again.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return { version, problem };
}

/** One picture, or the place where it will be. Foreign shapes are fitted, never cropped: bars are facts here. */
export function Picture({ wish, ms, label, className = '' }: { wish: PictureWish; ms: number; label: string; className?: string }) {
  const data = knownPicture(wish, ms);
  if (!data)
    return (
      <div
        className={`grid place-items-center bg-faint text-[10px] text-third ${className}`}
        role="img"
        aria-label={`${label}, no picture yet`}
      >
        {data === null ? '–' : ''}
      </div>
    );
  // A picture out of the disc itself: there is nothing for an image optimiser to do.
  // eslint-disable-next-line @next/next/no-img-element
  return <img src={data} alt={label} className={`bg-black object-contain ${className}`} draggable={false} />;
}
