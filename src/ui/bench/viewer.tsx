'use client';

import { Grid3x3, Play, Square } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Title } from '@/core/reading';
import { problemOf } from '@/store/api';
import type { DiscRecord } from '@/store/db';
import { fetchPictures, knownPicture, previewAddress, type PictureWish } from '@/store/looks';
import { sourceKey, type Problem } from '@/contract';
import { clock, languageName } from '../format';
import { Button } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { audioText } from '../words';
import type { ReadableSource } from '@/store/sources';

const SHEET = 24;
const SHEET_WIDTH = 128;
const VIEW_WIDTH = 480;
/** Pictures asked for at a time: the first come soon. */
const BATCH = 8;
/** The slider rests so long before its picture is asked for. */
const REST_MS = 90;

/** Fetches pictures in batches and says when more have come. */
export function usePictures(wish: PictureWish | null, moments: readonly number[]): { version: number; problem: Problem | null } {
  const [version, setVersion] = useState(0);
  const [problem, setProblem] = useState<Problem | null>(null);
  const key = wish ? `${wish.reading.fingerprint}/${wish.title}/${wish.angle}/${wish.width} ${moments.join(',')}` : '';
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

/** Looks into a title: a contact sheet, any moment of it, and a preview that plays from there. */
export function Viewer({
  disc,
  title,
  angle,
  source,
  moment,
  onMoment,
}: {
  disc: DiscRecord;
  title: Title;
  angle: number;
  source: ReadableSource | null;
  /** Milliseconds; null while the sheet is shown. */
  moment: number | null;
  onMoment: (ms: number | null) => void;
}) {
  const wish = useMemo<PictureWish | null>(
    () => (source ? { source: source.ref, reading: disc.reading, title: title.number, angle, width: SHEET_WIDTH } : null),
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [source && sourceKey(source.ref), disc.reading, title.number, angle],
  );
  const large = useMemo(() => (wish ? { ...wish, width: VIEW_WIDTH } : null), [wish]);
  const sheet = useMemo(
    () => Array.from({ length: SHEET }, (_, i) => Math.round(((i + 0.5) * title.durationMs) / SHEET)),
    [title.durationMs],
  );
  const [rested, setRested] = useState<number | null>(moment);
  const [playing, setPlaying] = useState<{ address: string; fromMs: number } | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const [audio, setAudio] = useState<number | null>(null);
  const [subtitle, setSubtitle] = useState<number | null>(null);
  const video = useRef<HTMLVideoElement>(null);
  useEffect(() => {
    const timer = setTimeout(() => {
      setRested(moment);
    }, REST_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [moment]);
  const pictures = usePictures(wish, sheet);
  const view = usePictures(large, rested === null ? [] : [rested]);
  const sound = audio ?? title.audio.find((t) => t.codec !== 'unknown')?.stream ?? null;
  const drawable = title.subtitles.filter((t) => t.codec === 'VobSub' || t.codec === 'PGS' || t.codec === 'DVB');
  const play = (fromMs: number) => {
    if (!large) return;
    setProblem(null);
    previewAddress({ ...large, startMs: fromMs, audio: sound, subtitle })
      .then((address) => {
        setPlaying({ address, fromMs });
      })
      .catch((error: unknown) => {
        setProblem(problemOf(error));
      });
  };
  if (!wish || !large) return <p className="px-3.5 py-3 text-second">Insert the disc, or bring its image back, to see pictures of it.</p>;
  const shown = moment ?? 0;
  const wrong = problem ?? pictures.problem ?? view.problem;
  return (
    <section aria-label="Pictures" className="px-3.5 pt-2.5 pb-2" data-pictures={pictures.version + view.version}>
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
          onError={() => {
            setPlaying(null);
          }}
          className="aspect-video w-full rounded-[3px] bg-black"
        />
      ) : moment !== null ? (
        <Picture
          wish={large}
          ms={rested ?? moment}
          label={`Title ${title.number} at ${clock(shown)}`}
          className="aspect-video w-full rounded-[3px]"
        />
      ) : (
        <div className="grid grid-cols-6 gap-[3px]">
          {sheet.map((ms) => (
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
      )}
      <div className="flex items-center gap-2 pt-1.5">
        <input
          type="range"
          aria-label="Moment of the title"
          aria-valuetext={clock(shown)}
          min={0}
          max={Math.max(1, title.durationMs - 1)}
          step={Math.max(40, Math.round(title.durationMs / 2000))}
          value={shown}
          onChange={(e) => {
            setPlaying(null);
            onMoment(Number(e.target.value));
          }}
          className="min-w-0 flex-1 accent-(--accent)"
        />
        <span className="w-[52px] text-right">{clock(shown)}</span>
        {playing ? (
          <Button
            onClick={() => {
              const at = playing.fromMs + (video.current?.currentTime ?? 0) * 1000;
              setPlaying(null);
              onMoment(Math.min(title.durationMs - 1, Math.round(at)));
            }}
            className="px-2 py-0.5"
          >
            <Square size={12} aria-hidden /> Stop
          </Button>
        ) : (
          <Button
            onClick={() => {
              play(shown);
            }}
            data-action="play"
            className="px-2 py-0.5"
          >
            <Play size={12} aria-hidden /> Play
          </Button>
        )}
        <Button
          tone="quiet"
          aria-label="Contact sheet"
          title="Contact sheet"
          aria-pressed={moment === null && !playing}
          onClick={() => {
            setPlaying(null);
            onMoment(null);
          }}
          className="px-1.5 py-0.5"
        >
          <Grid3x3 size={14} aria-hidden />
        </Button>
      </div>
      <div className="flex items-center gap-2 pt-1 text-[12px] text-second">
        <select
          aria-label="Sound of the preview"
          value={sound ?? ''}
          onChange={(e) => {
            setAudio(Number(e.target.value));
            setPlaying(null);
          }}
          className="min-w-0 flex-1 rounded-[5px] border border-line bg-card px-1 py-px text-ink"
        >
          {sound === null && <option value="">no sound</option>}
          {title.audio
            .filter((t) => t.codec !== 'unknown')
            .map((t) => (
              <option key={t.stream} value={t.stream}>
                {languageName(t.language)}, {audioText(t)}
              </option>
            ))}
        </select>
        <select
          aria-label="Subtitles of the preview"
          value={subtitle ?? ''}
          onChange={(e) => {
            setSubtitle(e.target.value === '' ? null : Number(e.target.value));
            setPlaying(null);
          }}
          className="min-w-0 flex-1 rounded-[5px] border border-line bg-card px-1 py-px text-ink"
        >
          <option value="">no subtitles drawn</option>
          {drawable.map((t) => (
            <option key={t.stream} value={t.stream}>
              {languageName(t.language)}
            </option>
          ))}
        </select>
      </div>
      {wrong && (
        <div className="pt-1.5">
          <ProblemNote
            problem={wrong}
            onClose={() => {
              setProblem(null);
            }}
          />
        </div>
      )}
    </section>
  );
}
