'use client';

import { Pause, Play } from 'lucide-react';
import { clock } from '../format';

/** Play, pause and the whole playing time, to be gone to anywhere; a mark for each chapter. */
export function PlayBar({
  atMs,
  durationMs,
  isPlaying,
  chapters,
  onSeek,
  onPlay,
  onPause,
}: {
  atMs: number;
  durationMs: number;
  isPlaying: boolean;
  chapters: readonly { readonly startMs: number; readonly name: string }[];
  onSeek: (ms: number) => void;
  onPlay: () => void;
  onPause: () => void;
}) {
  const Icon = isPlaying ? Pause : Play;
  return (
    <div className="flex items-center gap-2">
      <button
        type="button"
        aria-label={isPlaying ? 'Pause' : 'Play'}
        className="grid size-7 shrink-0 place-items-center rounded-[5px] border border-line bg-card hover:bg-wash"
        onClick={isPlaying ? onPause : onPlay}
      >
        <Icon size={14} aria-hidden />
      </button>
      <span className="relative flex min-w-0 flex-1 items-center">
        <input
          type="range"
          aria-label="Where it plays"
          aria-valuetext={`${clock(atMs)} of ${clock(durationMs)}`}
          min={0}
          max={Math.max(1, Math.round(durationMs))}
          step={Math.max(1, Math.round(durationMs / 4000))}
          value={Math.min(durationMs, atMs)}
          onChange={(e) => {
            onSeek(Number(e.target.value));
          }}
          className="w-full accent-(--accent)"
        />
        <span aria-hidden className="pointer-events-none absolute inset-x-[7px] -bottom-0.5 h-1">
          {chapters.map((c) => (
            <span
              key={c.startMs}
              className="absolute h-1 w-px bg-third"
              style={{ left: `${(c.startMs / Math.max(1, durationMs)) * 100}%` }}
            />
          ))}
        </span>
      </span>
      <span className="shrink-0 text-second tabular-nums">
        {clock(atMs)} / {clock(durationMs)}
      </span>
    </div>
  );
}
