'use client';

import { Grid3x3, Play, Square } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { isPictures, type Title } from '@/core/reading';
import { firstIsRight, type Reel } from '@/core/reels';
import { problemOf } from '@/store/api';
import { previewAddress, type PictureWish } from '@/store/looks';
import { sourceKey, type Problem } from '@/contract';
import { clock, languageName } from '../../format';
import { Button } from '../../parts/controls';
import { Select } from '../../parts/fields';
import { EyesRow, useEyes } from '../../parts/eyes-row';
import { MomentSlider } from '../../parts/moment-slider';
import { ProblemNote } from '../../parts/problem-note';
import { useKeys } from '../../parts/use-keys';
import { useWidth } from '../../parts/use-width';
import { audioText } from '../../words';
import { useBench } from '../bench-context';
import { Picture, usePictures } from './pictures';

/** Below this, pictures do not tell titles apart. */
const LEAST_SHEET_WIDTH = 120;
const SHEET_GAP = 3;
const SHEET_ROWS = 4;
const MOST_COLUMNS = 8;
const SHEET_WIDTH = 192;
const VIEW_WIDTH = 640;
/** The slider rests so long before its picture is asked for. */
const REST_MS = 90;

interface Choice {
  readonly audio: number | null;
  readonly subtitle: number | null;
}

/** A preview that plays from a moment: where it is to be had, and what went wrong. */
function usePreview(wish: PictureWish | null, choice: Choice) {
  const [playing, setPlaying] = useState<{ readonly address: string; readonly fromMs: number } | null>(null);
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Problem | null>(null);
  return {
    playing,
    busy,
    problem,
    clear: () => {
      setProblem(null);
    },
    stop: () => {
      setPlaying(null);
    },
    play: async (fromMs: number) => {
      if (!wish) return;
      setProblem(null);
      setBusy(true);
      try {
        setPlaying({ address: await previewAddress({ ...wish, startMs: fromMs, ...choice }), fromMs });
      } catch (error) {
        setProblem(problemOf(error));
      }
      setBusy(false);
    },
  };
}

/** Pictures of the whole title beside each other; each leads to its moment. */
function Sheet({ title, wish, onMoment }: { title: Title; wish: PictureWish; onMoment: (ms: number) => void }) {
  const [ref, width] = useWidth();
  const columns = Math.max(2, Math.min(MOST_COLUMNS, Math.floor((width + SHEET_GAP) / (LEAST_SHEET_WIDTH + SHEET_GAP))));
  const count = width === 0 ? 0 : columns * SHEET_ROWS;
  const moments = useMemo(
    () => Array.from({ length: count }, (_, i) => Math.round(((i + 0.5) * title.durationMs) / count)),
    [title.durationMs, count],
  );
  const { version, problem } = usePictures(wish, moments);
  return (
    <div data-pictures={version}>
      <div ref={ref} className="grid gap-[3px]" style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}>
        {moments.map((ms) => (
          <button
            key={ms}
            type="button"
            title={clock(ms)}
            aria-label={`Look at ${clock(ms)}`}
            onClick={() => {
              onMoment(ms);
            }}
            className="block overflow-hidden rounded-[2px] hover:outline-2 hover:outline-accent"
          >
            <Picture wish={wish} ms={ms} label="" className="aspect-video w-full" />
          </button>
        ))}
      </div>
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}

/** The picture of one moment, large. While the slider moves the one before stays. */
function Moment({ title, wish, ms }: { title: Title; wish: PictureWish; ms: number }) {
  const [rested, setRested] = useState(ms);
  useEffect(() => {
    const timer = setTimeout(() => {
      setRested(ms);
    }, REST_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [ms]);
  const { version, problem } = usePictures(
    wish,
    useMemo(() => [rested], [rested]),
  );
  return (
    <div data-pictures={version}>
      <Picture wish={wish} ms={rested} label={`Title ${title.number} at ${clock(ms)}`} className="aspect-video w-full rounded-[3px]" />
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}

function ChoiceRow({ title, choice, onChange }: { title: Title; choice: Choice; onChange: (choice: Choice) => void }) {
  const known = title.audio.filter((t) => t.codec !== 'unknown');
  return (
    <div className="flex items-center gap-2 pt-1 text-[12px] text-second">
      <Select
        label="Sound of the preview"
        value={String(choice.audio ?? '')}
        options={
          known.length === 0
            ? [{ value: '', name: 'no sound' }]
            : known.map((t) => ({ value: String(t.stream), name: `${languageName(t.language)}, ${audioText(t)}` }))
        }
        onChange={(value) => {
          onChange({ ...choice, audio: Number(value) });
        }}
        className="min-w-0 flex-1"
      />
      <Select
        label="Subtitles of the preview"
        value={String(choice.subtitle ?? '')}
        options={[
          { value: '', name: 'no subtitles drawn' },
          ...title.subtitles.filter((t) => isPictures(t.codec)).map((t) => ({ value: String(t.stream), name: languageName(t.language) })),
        ]}
        onChange={(value) => {
          onChange({ ...choice, subtitle: value === '' ? null : Number(value) });
        }}
        className="min-w-0 flex-1"
      />
    </div>
  );
}

/** Where one is in the title, and the way to play from there. */
function Transport({
  title,
  shown,
  isSheet,
  isPlaying,
  busy,
  onLook,
  onPlay,
  onStop,
}: {
  title: Title;
  /** Milliseconds of the title. */
  shown: number;
  isSheet: boolean;
  isPlaying: boolean;
  busy: boolean;
  onLook: (ms: number | null) => void;
  onPlay: () => void;
  onStop: () => void;
}) {
  return (
    <div className="flex items-center gap-2 pt-1.5">
      <MomentSlider label="Moment of the title" value={shown} durationMs={title.durationMs} onChange={onLook} />
      {isPlaying ? (
        <Button onClick={onStop} className="px-2 py-0.5">
          <Square size={12} aria-hidden /> Stop
        </Button>
      ) : (
        <Button busy={busy} onClick={onPlay} className="px-2 py-0.5">
          {!busy && <Play size={12} aria-hidden />} Play
        </Button>
      )}
      <Button
        tone="quiet"
        aria-label="Contact sheet"
        title="Contact sheet"
        aria-pressed={isSheet}
        onClick={() => {
          onLook(null);
        }}
        className="px-1.5 py-0.5"
      >
        <Grid3x3 size={14} aria-hidden />
      </Button>
    </div>
  );
}

/** Looks into a title: a contact sheet, any moment of it, and a preview that plays from there. */
export function Viewer({ title, angle, reel }: { title: Title; angle: number; reel: Reel | null }) {
  const { disc, engine, source, moment, look } = useBench();
  const hasTwo = title.video.secondView !== null;
  const { eyes, keepEyes, unable } = useEyes(hasTwo, engine?.encoders);
  const firstEye = firstIsRight(title.video, reel ?? {}) ? 'right' : 'left';
  const key = source && sourceKey(source.ref);
  const wish = useMemo<PictureWish | null>(
    () => (source ? { source: source.ref, reading: disc.reading, title: title.number, angle, width: SHEET_WIDTH, eyes, firstEye } : null),
    // The same source is another object with every state of the engine.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [key, disc.reading, title.number, angle, eyes, firstEye],
  );
  const large = useMemo(() => (wish ? { ...wish, width: VIEW_WIDTH } : null), [wish]);
  const [choice, setChoice] = useState<Choice>({
    audio: title.audio.find((t) => t.codec !== 'unknown')?.stream ?? null,
    subtitle: null,
  });
  const { playing, busy, problem, clear, stop, play } = usePreview(large, choice);
  const video = useRef<HTMLVideoElement>(null);
  const shown = moment?.ms ?? 0;
  useKeys({ play: large && !playing ? () => void play(shown) : null });
  if (!wish || !large) return <p className="px-3.5 py-3 text-second">Insert the disc, or bring its image back, to see pictures of it.</p>;
  const lookAt = (ms: number | null) => {
    stop();
    look(ms === null ? null : { title: title.number, ms });
  };
  return (
    <section aria-label="Pictures" className="px-2.5 pt-2.5 pb-2">
      {playing ? (
        <video
          ref={video}
          key={playing.address}
          src={playing.address}
          autoPlay
          controls
          playsInline
          data-testid="preview"
          aria-label={`Preview of title ${title.number} from ${clock(playing.fromMs)}`}
          onError={stop}
          className="aspect-video w-full rounded-[3px] bg-black"
        />
      ) : moment !== null ? (
        <Moment title={title} wish={large} ms={moment.ms} />
      ) : (
        <Sheet title={title} wish={wish} onMoment={lookAt} />
      )}
      <Transport
        title={title}
        shown={shown}
        isSheet={moment === null && !playing}
        isPlaying={playing !== null}
        busy={busy}
        onLook={lookAt}
        onPlay={() => void play(shown)}
        onStop={() => {
          const at = (playing?.fromMs ?? 0) + (video.current?.currentTime ?? 0) * 1000;
          lookAt(Math.min(title.durationMs - 1, Math.round(at)));
        }}
      />
      {hasTwo && (
        <EyesRow
          eyes={eyes}
          unable={unable}
          onChange={(next) => {
            stop();
            keepEyes(next);
          }}
        />
      )}
      <ChoiceRow
        title={title}
        choice={choice}
        onChange={(next) => {
          stop();
          setChoice(next);
        }}
      />
      {problem && (
        <div className="pt-1.5">
          <ProblemNote problem={problem} onClose={clear} />
        </div>
      )}
    </section>
  );
}
