'use client';

import { useState } from 'react';
import type { Output } from '@/contract';
import { playsInPage } from '@/core/recipes';
import { clock, languageName } from '../format';

/**
 * Plays a result in the page. An access copy plays as it is; a master is turned into something a browser plays while it
 * is watched, so its own time line begins where one asked it to begin.
 */
export function Player({ output }: { output: Output }) {
  const { sidecar } = output;
  const type = playsInPage(sidecar);
  const onTheFly = type === null;
  const isSound = type?.startsWith('audio/') ?? false;
  const [start, setStart] = useState(0);
  const [audio, setAudio] = useState(0);
  const [failed, setFailed] = useState(false);
  const tracks = sidecar.promise.tracks.filter((t) => t.kind === 'audio');
  const source = `/api/outputs/${output.id}/play${onTheFly ? `?start=${start}&audio=${audio}` : `#t=${start}`}`;
  return (
    <div>
      <video
        key={source}
        src={source}
        controls
        playsInline
        preload="metadata"
        data-testid="player"
        aria-label={`Preview of ${sidecar.reel.name}`}
        onError={() => {
          setFailed(true);
        }}
        onLoadedData={() => {
          setFailed(false);
        }}
        className={`w-full rounded-[4px] ${isSound ? 'h-14' : 'aspect-video bg-black'}`}
      />
      {failed && <p className="pt-1 text-damaged">The preview could not be played. The file itself is not touched by that.</p>}
      <div className="flex items-center gap-2 pt-1.5">
        <label className="flex flex-1 items-center gap-2 text-second">
          from
          <select
            aria-label="Play from"
            value={start}
            onChange={(e) => {
              setStart(Number(e.target.value));
            }}
            className="min-w-0 flex-1 rounded-[5px] border border-line bg-card px-1 py-0.5 text-ink"
          >
            {sidecar.promise.chapters.map((c) => (
              <option key={c.startMs} value={c.startMs / 1000}>
                {clock(c.startMs)} {c.name}
              </option>
            ))}
            {sidecar.promise.chapters.length === 0 && <option value={0}>the beginning</option>}
          </select>
        </label>
        {onTheFly && tracks.length > 1 && (
          <label className="flex items-center gap-2 text-second">
            sound
            <select
              aria-label="Sound of the preview"
              value={audio}
              onChange={(e) => {
                setAudio(Number(e.target.value));
              }}
              className="rounded-[5px] border border-line bg-card px-1 py-0.5 text-ink"
            >
              {tracks.map((t, i) => (
                <option key={t.stream} value={i}>
                  {i + 1} {languageName(t.language)}
                </option>
              ))}
            </select>
          </label>
        )}
      </div>
    </div>
  );
}
