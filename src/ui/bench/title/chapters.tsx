'use client';

import { useMemo } from 'react';
import { canBeTaken, type Title } from '@/core/reading';
import { pieceChapters, pieceMs, type Reel } from '@/core/reels';
import type { DraftReel } from '@/store/db';
import type { PictureWish } from '@/store/looks';
import { clock, plural } from '../../format';
import { useBench } from '../bench-context';
import { CHAPTER_WIDTH, MOST_CHAPTER_PICTURES, Picture, intoChapter, usePictures } from './pictures';
import { Section } from './section';

function ChapterRange({
  title,
  reel,
  onChange,
  disabled,
}: {
  title: Title;
  reel: Reel;
  onChange: (reel: Reel) => void;
  disabled: boolean;
}) {
  const piece = reel.pieces[0];
  if (!piece || (title.chapters.length < 2 && title.angles < 2)) return null;
  if (reel.pieces.length > 1 || piece.range || piece.title !== title.number)
    return (
      <p className="text-second">
        {reel.pieces.length > 1 ? plural(reel.pieces.length, 'piece') : 'A range'}, {clock(pieceMs(title, piece))} of this title first: edit
        the reel to change them.
      </p>
    );
  const set = (fromChapter: number, toChapter: number) => {
    onChange({ ...reel, pieces: [{ ...piece, fromChapter, toChapter: Math.max(fromChapter, toChapter) }], chapters: null });
  };
  const select = (label: string, value: number, from: number, apply: (n: number) => void) => (
    <select
      aria-label={label}
      value={value}
      disabled={disabled}
      onChange={(e) => {
        apply(Number(e.target.value));
      }}
      className="rounded-[5px] border border-line bg-card px-1 py-px"
    >
      {title.chapters
        .filter((c) => c.number >= from)
        .map((c) => (
          <option key={c.number} value={c.number}>
            {c.number}
          </option>
        ))}
    </select>
  );
  const ms = title.chapters.slice(piece.fromChapter - 1, piece.toChapter).reduce((sum, c) => sum + c.durationMs, 0);
  return (
    <p className="flex items-center gap-1.5">
      Take chapters{' '}
      {select('First chapter', piece.fromChapter, 1, (n) => {
        set(n, piece.toChapter);
      })}{' '}
      to{' '}
      {select('Last chapter', piece.toChapter, piece.fromChapter, (n) => {
        set(piece.fromChapter, n);
      })}
      <span className="text-second">
        of {title.chapters.length}, {clock(ms)}
      </span>
      {title.angles > 1 && (
        <label className="ml-auto flex items-center gap-1.5">
          Angle
          <select
            aria-label="Angle of the title"
            value={piece.angle}
            disabled={disabled}
            onChange={(e) => {
              onChange({ ...reel, pieces: [{ ...piece, angle: Number(e.target.value) }] });
            }}
            className="rounded-[5px] border border-line bg-card px-1 py-px"
          >
            {Array.from({ length: title.angles }, (_, i) => (
              <option key={i} value={i + 1}>
                {i + 1} of {title.angles}
              </option>
            ))}
          </select>
        </label>
      )}
    </p>
  );
}

function Chapters({
  title,
  reel,
  onChange,
  disabled,
  pictures,
  onLook,
}: {
  title: Title;
  reel: Reel | null;
  onChange: (reel: Reel) => void;
  disabled: boolean;
  pictures: PictureWish | null;
  onLook: (ms: number) => void;
}) {
  const piece = reel?.pieces.length === 1 && reel.pieces[0]?.title === title.number && !reel.chapters ? reel.pieces[0] : undefined;
  const within = piece ? pieceChapters(title, piece).map((c) => c.number) : null;
  const moments = useMemo(
    () => title.chapters.slice(0, MOST_CHAPTER_PICTURES).map((c) => Math.round(intoChapter(c.startMs, c.durationMs))),
    [title.chapters],
  );
  usePictures(pictures, moments);
  return (
    <ol className="mt-1 flex flex-col gap-y-0.5">
      {title.chapters.map((chapter, i) => {
        const place = within ? within.indexOf(chapter.number) : -1;
        const inside = within === null || place >= 0;
        const ms = Math.round(intoChapter(chapter.startMs, chapter.durationMs));
        return (
          <li
            key={chapter.number}
            className={`grid grid-cols-[20px_52px_minmax(0,1fr)_auto] items-center gap-1.5 ${inside ? '' : 'text-third'}`}
          >
            <span className="text-right text-second">{chapter.number}</span>
            {pictures && i < MOST_CHAPTER_PICTURES ? (
              <button
                type="button"
                aria-label={`Look at chapter ${chapter.number}`}
                onClick={() => {
                  onLook(ms);
                }}
                className="overflow-hidden rounded-[2px] hover:outline-2 hover:outline-accent"
              >
                <Picture wish={pictures} ms={ms} label="" className="aspect-video w-full" />
              </button>
            ) : (
              <span />
            )}
            {reel && place >= 0 ? (
              <input
                aria-label={`Name of chapter ${chapter.number}`}
                value={reel.chapterNames[place] ?? ''}
                placeholder={chapter.name ?? `Chapter ${place + 1}`}
                disabled={disabled}
                onChange={(e) => {
                  onChange({
                    ...reel,
                    chapterNames: Array.from({ length: Math.max(reel.chapterNames.length, place + 1) }, (_, n) =>
                      n === place ? e.target.value : (reel.chapterNames[n] ?? ''),
                    ),
                  });
                }}
                className="min-w-0 rounded-[4px] border border-transparent bg-transparent px-1 placeholder:text-third hover:border-line focus:border-line"
              />
            ) : (
              <span className="truncate px-1 text-second">{chapter.name ?? `Chapter ${chapter.number}`}</span>
            )}
            <span className="text-second">{clock(chapter.startMs)}</span>
          </li>
        );
      })}
    </ol>
  );
}

/** The chapters of a title: which are taken, how they are called, how each begins. */
export function TitleChapters({ title, draft }: { title: Title; draft: DraftReel | null }) {
  const { disc, source, look, commands } = useBench();
  const usable = canBeTaken(title);
  const locked = draft !== null && draft.jobId !== null;
  const onChange = (reel: Reel) => {
    if (draft) commands.change(draft.id, reel);
  };
  return (
    <Section name="Chapters">
      {draft && <ChapterRange title={title} reel={draft.reel} onChange={onChange} disabled={locked} />}
      <Chapters
        title={title}
        reel={draft?.reel ?? null}
        onChange={onChange}
        disabled={locked}
        pictures={
          usable && source ? { source: source.ref, reading: disc.reading, title: title.number, angle: 1, width: CHAPTER_WIDTH } : null
        }
        onLook={(ms) => {
          look({ title: title.number, ms });
        }}
      />
    </Section>
  );
}
