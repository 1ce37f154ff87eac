'use client';

import { Crop, Play, Square } from 'lucide-react';
import { useMemo, useState } from 'react';
import { SOUND_ONLY, planEncode, workingHardware, type Recipe } from '@/core/recipes';
import { encodeFacts, type Bars } from '@/core/reels';
import type { Problem } from '@/contract';
import { problemOf } from '@/store/api';
import { useEngine } from '@/store/engine';
import { rehearsalSample } from '@/store/looks';
import type { ReadableSource } from '@/store/sources';
import { bytes, clock } from '../format';
import { Button, Mark } from '../parts/controls';
import { MomentSlider } from '../parts/moment-slider';
import { ProblemNote } from '../parts/problem-note';
import { reasonText } from '../words-recipes';
import { BarsFrame } from './bars-frame';
import { Curtain } from './curtain';
import type { Rehearsed } from './rehearsed';
import { useRehearsal } from './use-rehearsal';

/** Ten seconds from a moment, made on request. */
function useSample(on: Rehearsed, source: ReadableSource, recipe: Recipe) {
  const [address, setAddress] = useState<string | null>(null);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  const stop = () => {
    setAddress(null);
  };
  const play = async (atMs: number) => {
    setBusy(true);
    setProblem(null);
    try {
      const wish = { source: source.ref, reading: on.disc.reading, title: on.title.number };
      setAddress(await rehearsalSample(wish, { reel: on.reel, recipe, atMs }));
    } catch (error) {
      setProblem(problemOf(error));
    }
    setBusy(false);
  };
  return {
    address,
    busy,
    problem,
    play,
    stop,
    clear: () => {
      setProblem(null);
    },
  };
}

/** What the recipe does to the picture of this reel, in words. */
function Treatments({ on, recipe }: { on: Rehearsed; recipe: Recipe }) {
  const { state } = useEngine();
  const encoders = state?.encoders;
  const reasons = useMemo(() => {
    const facts = encodeFacts(on.disc.reading, on.reel);
    const known = facts && { ...facts, hardware: workingHardware(encoders ?? []) };
    return known ? planEncode(recipe, known).reasons.filter((r) => r.about === 'video' || r.about === 'picture') : [];
  }, [on, recipe, encoders]);
  return (
    <ul className="flex flex-col gap-1">
      {reasons.map((r, i) => (
        <li key={i} className="grid grid-cols-[16px_minmax(0,1fr)] gap-x-1">
          <span>{r.weight === 'eyes' && <Mark state="eyes" />}</span>
          <span>{reasonText(r)}</span>
        </li>
      ))}
    </ul>
  );
}

/** Any moment before and after, and ten seconds of the copy as it will be. */
export function RehearsedPicture({
  on,
  source,
  recipe,
  startMs,
  onBars,
}: {
  on: Rehearsed;
  source: ReadableSource;
  recipe: Recipe;
  startMs: number;
  onBars: ((bars: Bars | null) => void) | null;
}) {
  const { title } = on;
  const [framing, setFraming] = useState(false);
  const [atMs, setAt] = useState(Math.min(startMs, title.durationMs - 1));
  const { shown, busy, problem, clear } = useRehearsal(on, source, recipe, atMs);
  const sample = useSample(on, source, recipe);
  const shape = title.video.displayAspect[0] / title.video.displayAspect[1];
  const wait = shown ? (shown.isEncoded || shown.after === null ? '' : 'treated; being encoded…') : 'Reading this moment…';
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_236px] gap-4">
      <div className="min-w-0">
        {sample.address ? (
          <video
            key={sample.address}
            src={sample.address}
            autoPlay
            loop
            controls
            playsInline
            aria-label={`Ten seconds of the copy from ${clock(atMs)}`}
            className="mx-auto max-h-[56dvh] w-full bg-black"
            style={{ aspectRatio: shape }}
            onError={sample.stop}
          />
        ) : shown && framing && onBars ? (
          <BarsFrame on={on} picture={shown.plain} shape={shape} cuts={recipe.picture.bars === 'crop'} onBars={onBars} />
        ) : shown ? (
          <Curtain
            before={shown.before}
            after={shown.after ?? shown.before}
            beforeName="as on the disc"
            afterName={
              SOUND_ONLY.has(recipe.container)
                ? 'sound alone: no picture goes along'
                : shown.after === null
                  ? 'the same: nothing is encoded'
                  : shown.isEncoded
                    ? 'as it will be'
                    : 'treated, not yet encoded'
            }
            shape={shape}
          />
        ) : (
          <div className="flex w-full items-center justify-center rounded-[3px] bg-wash text-second" style={{ aspectRatio: shape }}>
            {problem ? 'There is no picture.' : wait}
          </div>
        )}
        <div className="flex items-center gap-2 pt-2">
          <MomentSlider
            label="Moment that is rehearsed"
            value={atMs}
            durationMs={title.durationMs}
            onChange={(ms) => {
              sample.stop();
              setAt(ms);
            }}
          />
          {onBars && !sample.address && recipe.video.codec !== 'as it is' && !SOUND_ONLY.has(recipe.container) && (
            <Button
              className="px-2 py-0.5"
              aria-pressed={framing}
              onClick={() => {
                setFraming(!framing);
              }}
            >
              <Crop size={12} aria-hidden /> {framing ? 'Done' : 'Bars by hand'}
            </Button>
          )}
          {sample.address ? (
            <Button className="px-2 py-0.5" onClick={sample.stop}>
              <Square size={12} aria-hidden /> Back to the picture
            </Button>
          ) : (
            <Button className="px-2 py-0.5" busy={sample.busy} onClick={() => void sample.play(atMs)}>
              {!sample.busy && <Play size={12} aria-hidden />} Ten seconds from here
            </Button>
          )}
        </div>
        {(problem ?? sample.problem) && (
          <div className="pt-2">
            <ProblemNote
              problem={(problem ?? sample.problem) as Problem}
              onClose={() => {
                clear();
                sample.clear();
              }}
            />
          </div>
        )}
      </div>
      <aside className="flex min-w-0 flex-col gap-3" aria-label="What is done to the picture">
        <Treatments on={on} recipe={recipe} />
        <dl className="grid grid-cols-[76px_minmax(0,1fr)] gap-x-2 border-t border-faint pt-3" aria-live="polite">
          <dt className="text-second">picture</dt>
          <dd>
            {busy && !shown?.isEncoded
              ? wait || '…'
              : shown?.bytesPerSecond
                ? `${bytes(shown.bytesPerSecond)} a second here`
                : 'as on the disc'}
          </dd>
          <dt className="text-second">pace</dt>
          <dd>
            {shown?.pace ? `${shown.pace < 10 ? shown.pace.toFixed(1) : Math.round(shown.pace)} times the film, on this machine` : '–'}
          </dd>
        </dl>
        <p className="text-[12px] text-third">
          Grey is what would be cut off. One moment says little of the whole: “what it takes” tries several.
          {recipe.audio.loudness !== null &&
            ' Ten seconds are about as loud as the copy: half a minute, spread over the title, is measured for them, all of it for the copy.'}
        </p>
      </aside>
    </div>
  );
}
