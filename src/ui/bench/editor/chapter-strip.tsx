import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { stampOf, type ReelChapter } from '@/core/reels';

const STEP_MS = 40;
const WIDE_STEP_MS = 1000;

/** The reel from end to end with its chapter marks: they are dragged, and the picture follows. */
export function ChapterStrip({
  chapters,
  durationMs,
  hereMs,
  onLook,
  onMove,
}: {
  chapters: readonly ReelChapter[];
  durationMs: number;
  /** Where the moment looked at stands; null where the reel does not have it. */
  hereMs: number | null;
  onLook: (ms: number) => void;
  onMove: (chapter: number, ms: number) => void;
}) {
  const strip = useRef<HTMLDivElement>(null);
  const [dragged, setDragged] = useState<{ readonly chapter: number; readonly ms: number } | null>(null);
  const share = (ms: number) => `${(100 * Math.min(1, Math.max(0, ms / Math.max(1, durationMs)))).toFixed(3)}%`;
  const msAt = (event: PointerEvent): number => {
    const box = strip.current?.getBoundingClientRect();
    if (!box || box.width === 0) return 0;
    return Math.round(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * durationMs);
  };
  const nudge = (event: KeyboardEvent, chapter: number, ms: number) => {
    const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (step === 0) return;
    event.preventDefault();
    event.stopPropagation();
    const next = ms + step * (event.shiftKey ? WIDE_STEP_MS : STEP_MS);
    onMove(chapter, next);
    onLook(next);
  };
  return (
    <div
      ref={strip}
      className="relative h-5 cursor-pointer rounded-[3px] border border-line bg-paper"
      title="Look at a moment; drag a mark to move its chapter"
      onClick={(e) => {
        if (e.target === strip.current) onLook(msAt(e as unknown as PointerEvent));
      }}
    >
      {hereMs !== null && (
        <span aria-hidden className="pointer-events-none absolute inset-y-0 w-0.5 bg-accent" style={{ left: share(hereMs) }} />
      )}
      {chapters.map((c, i) => {
        if (i === 0) return null;
        const ms = dragged?.chapter === i ? dragged.ms : c.startMs;
        return (
          <span
            key={i}
            role="slider"
            tabIndex={0}
            aria-label={`Mark of chapter ${i + 1}`}
            aria-valuemin={0}
            aria-valuemax={Math.round(durationMs)}
            aria-valuenow={Math.round(ms)}
            aria-valuetext={stampOf(ms)}
            title={`${i + 1} ${c.name}, ${stampOf(ms)}`}
            className="absolute -top-px h-5 w-[7px] -translate-x-1/2 cursor-ew-resize touch-none rounded-[2px] border border-card bg-second hover:bg-ink focus-visible:bg-accent"
            style={{ left: share(ms) }}
            onKeyDown={(e) => {
              nudge(e, i, c.startMs);
            }}
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              setDragged({ chapter: i, ms: c.startMs });
            }}
            onPointerMove={(e) => {
              if (dragged?.chapter !== i) return;
              setDragged({ chapter: i, ms: msAt(e) });
              onLook(msAt(e));
            }}
            onPointerUp={() => {
              if (dragged?.chapter === i && dragged.ms !== c.startMs) onMove(i, dragged.ms);
              setDragged(null);
            }}
          />
        );
      })}
    </div>
  );
}
