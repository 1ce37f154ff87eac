'use client';

import { Plus, X } from 'lucide-react';
import { useMemo } from 'react';
import {
  momentOfReel,
  plannedChapters,
  readStamp,
  reelMs,
  reelMsOf,
  stampOf,
  type Reel,
  type ReelChapter,
  type TitleMoment,
} from '@/core/reels';
import type { DiscRecord, DraftReel } from '@/store/db';
import type { PictureWish } from '@/store/looks';
import { Button } from '../../parts/controls';
import { TextField } from '../../parts/fields';
import { useBench } from '../bench-context';
import { CHAPTER_WIDTH, MOST_CHAPTER_PICTURES, Picture, intoChapter, usePictures } from '../title/pictures';
import { ChapterLists } from './chapter-lists';
import { ChapterStrip } from './chapter-strip';

/** Chapters of the reel as they will be written. */
export function chaptersOf(disc: DiscRecord, reel: Reel): ReelChapter[] {
  if (reel.chapters) return [...reel.chapters];
  return plannedChapters(disc.reading.titles, reel.pieces).map(({ startMs, name }, i) => ({
    startMs,
    name: reel.chapterNames[i]?.trim() || name || `Chapter ${i + 1}`,
  }));
}

/** Where a picture of each chapter is to be had; null where the reel has none there. */
function useChapterPictures(reel: Reel, chapters: readonly ReelChapter[], durationMs: number) {
  const { disc, source } = useBench();
  const moments = useMemo(
    () =>
      chapters.slice(0, MOST_CHAPTER_PICTURES).map((c, i) => {
        const end = chapters[i + 1]?.startMs ?? durationMs;
        const moment = momentOfReel(disc.reading.titles, reel.pieces, intoChapter(c.startMs, end - c.startMs));
        return moment && { ...moment, ms: Math.round(moment.ms) };
      }),
    [chapters, durationMs, disc.reading, reel.pieces],
  );
  // A reel of several titles asks for the pictures of its first; the others have been looked at on their own.
  const first = reel.pieces[0];
  const wishOf = (title: number): PictureWish | null =>
    source ? { source: source.ref, reading: disc.reading, title, angle: first?.angle ?? 1, width: CHAPTER_WIDTH } : null;
  const wish = wishOf(first?.title ?? 0);
  const ofFirst = useMemo(() => moments.flatMap((m) => (m?.title === first?.title && m ? [m.ms] : [])), [moments, first?.title]);
  usePictures(wish, ofFirst);
  return { moments, wishOf };
}

/** One chapter: its picture, which leads to its moment; its time, which can be set to the moment looked at; its name. */
function ChapterRow({
  chapter,
  place,
  picture,
  here,
  onLook,
  onMove,
  onRename,
  onAdd,
  onRemove,
}: {
  chapter: ReelChapter;
  place: number;
  picture: { readonly wish: PictureWish; readonly ms: number } | null;
  /** The moment looked at is in it. */
  here: boolean;
  onLook: () => void;
  onMove: (ms: number) => void;
  onRename: (name: string) => void;
  onAdd: () => void;
  onRemove: () => void;
}) {
  return (
    <li
      className={`grid grid-cols-[20px_58px_104px_minmax(0,1fr)_auto] items-center gap-1.5 border-b border-faint py-0.5 pr-1 ${here ? 'bg-wash' : ''}`}
    >
      <span className="text-right text-second">{place}</span>
      <button
        type="button"
        aria-label={`Look at chapter ${place} of the reel`}
        title="Look at it"
        onClick={onLook}
        className="h-[33px] overflow-hidden rounded-[2px] bg-faint hover:outline-2 hover:outline-accent"
      >
        {picture && <Picture wish={picture.wish} ms={picture.ms} label="" className="h-full w-full" />}
      </button>
      <TextField
        key={chapter.startMs}
        label={`Time of chapter ${place}`}
        defaultValue={stampOf(chapter.startMs)}
        disabled={place === 1}
        onBlur={(e) => {
          const ms = readStamp(e.target.value);
          if (ms !== null && Math.round(ms) !== Math.round(chapter.startMs)) onMove(ms);
        }}
      />
      <TextField
        label={`Name of chapter ${place} of the reel`}
        value={chapter.name}
        onChange={(e) => {
          onRename(e.target.value);
        }}
      />
      <span className="flex">
        <button
          type="button"
          aria-label={`Add a chapter after ${place}`}
          title="Add a chapter after this one"
          className="text-third hover:text-ink"
          onClick={onAdd}
        >
          <Plus size={14} aria-hidden />
        </button>
        <button
          type="button"
          aria-label={`Remove chapter ${place}`}
          disabled={place === 1}
          className="text-third hover:text-ink disabled:opacity-30"
          onClick={onRemove}
        >
          <X size={14} aria-hidden />
        </button>
      </span>
    </li>
  );
}

/** What the moment looked at can do for the chapters. */
function HereButtons({
  chapters,
  hereMs,
  within,
  onTake,
  onMove,
}: {
  chapters: readonly ReelChapter[];
  /** Null where the reel does not have the moment. */
  hereMs: number | null;
  /** Place of the chapter that it is in; -1 for none. */
  within: number;
  onTake: (chapters: readonly ReelChapter[]) => void;
  onMove: (chapter: number, ms: number) => void;
}) {
  return (
    <>
      <Button
        disabled={hereMs === null || hereMs <= 0 || chapters.some((c) => Math.round(c.startMs) === Math.round(hereMs))}
        title={
          hereMs === null
            ? 'Look at a moment of it first: by its pictures, or the slider below them'
            : 'A chapter begins at the moment looked at'
        }
        onClick={() => {
          if (hereMs !== null) onTake([...chapters, { startMs: Math.round(hereMs), name: 'New chapter' }]);
        }}
      >
        Take this moment
      </Button>
      <Button
        disabled={hereMs === null || within < 1}
        title="The chapter that the moment looked at is in begins with it"
        onClick={() => {
          if (hereMs !== null) onMove(within, hereMs);
        }}
      >
        {within > 0 ? `Begin ${within + 1} here` : 'Begin it here'}
      </Button>
    </>
  );
}

/** Chapters of a reel: by their pictures, their times and their names. */
export function ChaptersPart({ draft }: { draft: DraftReel }) {
  const { disc, commands, moment, look, selectTitle } = useBench();
  const { reel, id } = draft;
  const { titles } = disc.reading;
  const chapters = useMemo(() => chaptersOf(disc, reel), [disc, reel]);
  const durationMs = reelMs(titles, reel.pieces);
  const { moments, wishOf } = useChapterPictures(reel, chapters, durationMs);
  const hereMs = moment ? reelMsOf(titles, reel.pieces, moment) : null;
  const set = (next: readonly ReelChapter[]) => {
    commands.change(id, { ...reel, chapters: [...next].sort((a, b) => a.startMs - b.startMs) });
  };
  const move = (i: number, ms: number) => {
    if (i > 0 && ms > 0 && ms < durationMs) set(chapters.map((c, n) => (n === i ? { ...c, startMs: Math.round(ms) } : c)));
  };
  const lookAt = (at: TitleMoment | null) => {
    if (!at) return;
    selectTitle(at.title);
    look(at);
  };
  const within = hereMs === null ? -1 : chapters.findLastIndex((c) => c.startMs <= hereMs);
  return (
    <div className="flex flex-col gap-1.5">
      <div className="flex flex-wrap items-center gap-1.5">
        <HereButtons chapters={chapters} hereMs={hereMs} within={within} onTake={set} onMove={move} />
        <ChapterLists draft={draft} chapters={chapters} durationMs={durationMs} onChange={set} />
      </div>
      <ChapterStrip
        chapters={chapters}
        durationMs={durationMs}
        hereMs={hereMs}
        onLook={(ms) => {
          lookAt(momentOfReel(titles, reel.pieces, ms));
        }}
        onMove={move}
      />
      <ol className="grid grid-cols-[repeat(auto-fill,minmax(330px,1fr))] gap-x-4">
        {chapters.map((chapter, i) => {
          const at = moments[i];
          const wish = at ? wishOf(at.title) : null;
          return (
            <ChapterRow
              key={`${i} ${chapter.startMs}`}
              chapter={chapter}
              place={i + 1}
              picture={at && wish ? { wish, ms: at.ms } : null}
              here={i === within}
              onLook={() => {
                lookAt(at ?? momentOfReel(titles, reel.pieces, chapter.startMs));
              }}
              onMove={(ms) => {
                move(i, ms);
              }}
              onRename={(name) => {
                set(chapters.map((c, n) => (n === i ? { ...c, name } : c)));
              }}
              onAdd={() => {
                const end = chapters[i + 1]?.startMs ?? durationMs;
                set([...chapters, { startMs: Math.round((chapter.startMs + end) / 2), name: 'New chapter' }]);
              }}
              onRemove={() => {
                set(chapters.filter((_, n) => n !== i));
              }}
            />
          );
        })}
      </ol>
      {reel.chapters && (
        <button
          type="button"
          className="self-start text-accent hover:underline"
          onClick={() => {
            commands.change(id, { ...reel, chapters: null });
          }}
        >
          Back to the disc’s own chapters
        </button>
      )}
    </div>
  );
}
