'use client';

import { Maximize } from 'lucide-react';
import type { Output } from '@/contract';
import { useEngine } from '@/store/engine';
import { clock, languageName } from '../format';
import { EyesRow, useEyes } from '../parts/eyes-row';
import { PlayBar } from './play-bar';
import { usePlaying, type Playing } from './use-playing';

/** Plays a result in the page, along its whole playing time. */
export function Player({ output }: { output: Output }) {
  const hasTwo = (output.firstEye ?? null) !== null;
  const { eyes, keepEyes, unable } = useEyes(hasTwo, useEngine().state?.encoders);
  const playing = usePlaying(output, eyes);
  const { sidecar } = output;
  const { chapters } = sidecar.promise;
  const isSound = playing.type?.startsWith('audio/') ?? false;
  const { key, ...props } = playing.props;
  return (
    <div className="flex flex-col gap-1.5">
      <span className="relative">
        <video
          key={key}
          {...props}
          data-testid="player"
          aria-label={`Preview of ${sidecar.reel.name}`}
          onClick={playing.isPlaying ? playing.pause : playing.play}
          className={`w-full rounded-[4px] ${isSound ? 'h-2' : 'aspect-video bg-black'}`}
        />
        {!isSound && (
          <button
            type="button"
            aria-label="As large as the screen"
            style={{ color: '#fff' }}
            className="absolute right-1.5 bottom-1.5 grid size-6 place-items-center rounded-[4px] bg-black/50 hover:bg-black/80"
            onClick={() => void playing.video.current?.requestFullscreen().catch(() => undefined)}
          >
            <Maximize size={13} aria-hidden />
          </button>
        )}
      </span>
      {playing.failed && (
        <p className="text-damaged">
          {eyes === 'first' ? 'The preview could not be played.' : 'Both views could not be shown: look at the first one.'} The file itself
          is not touched by that.
        </p>
      )}
      <PlayBar {...playing} chapters={chapters} onSeek={playing.seek} onPlay={playing.play} onPause={playing.pause} />
      <div className="flex items-center gap-2">
        <label className="flex min-w-0 flex-1 items-center gap-2 text-second">
          from
          <select
            aria-label="Play from"
            value={chapters.findLast((c) => c.startMs <= playing.atMs + 1)?.startMs ?? 0}
            onChange={(e) => {
              playing.seek(Number(e.target.value));
            }}
            className="min-w-0 flex-1 rounded-[5px] border border-line bg-card px-1 py-0.5 text-ink"
          >
            {chapters.map((c) => (
              <option key={c.startMs} value={c.startMs}>
                {clock(c.startMs)} {c.name}
              </option>
            ))}
            {chapters.length === 0 && <option value={0}>the beginning</option>}
          </select>
        </label>
        <SoundPick output={output} playing={playing} />
      </div>
      {hasTwo && (
        <EyesRow
          eyes={eyes}
          unable={unable}
          onChange={(next) => {
            playing.again();
            keepEyes(next);
          }}
        />
      )}
    </div>
  );
}

/** Which sound is heard, where it is chosen before it is made. */
function SoundPick({ output, playing }: { output: Output; playing: Playing }) {
  const tracks = output.sidecar.promise.tracks.filter((t) => t.kind === 'audio');
  if (!playing.onTheFly || tracks.length < 2) return null;
  return (
    <label className="flex items-center gap-2 text-second">
      sound
      <select
        aria-label="Sound of the preview"
        value={playing.audio}
        onChange={(e) => {
          playing.listen(Number(e.target.value));
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
  );
}
