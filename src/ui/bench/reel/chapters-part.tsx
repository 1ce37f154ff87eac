'use client';

import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import {
  ChapterListError,
  chaptersToText,
  chaptersToWebVtt,
  numberedNames,
  plannedChapters,
  readChapterList,
  readStamp,
  reelMs,
  stampOf,
  type Reel,
  type ReelChapter,
} from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { saveText } from '../../parts/save-file';
import { Button } from '../../parts/controls';
import { FileButton } from '../../parts/file-button';
import { TextField } from '../../parts/fields';

/** Chapters of the reel as they will be written. */
export function chaptersOf(disc: DiscRecord, reel: Reel): ReelChapter[] {
  if (reel.chapters) return [...reel.chapters];
  return plannedChapters(disc.reading.titles, reel.pieces).map(({ startMs, name }, i) => ({
    startMs,
    name: reel.chapterNames[i]?.trim() || name || `Chapter ${i + 1}`,
  }));
}

/** Chapters: names and times, pasted, numbered, brought in and out. */
export function ChaptersPart({ disc, reel, onChange }: { disc: DiscRecord; reel: Reel; onChange: (reel: Reel) => void }) {
  const chapters = chaptersOf(disc, reel);
  const durationMs = reelMs(disc.reading.titles, reel.pieces);
  const [pasting, setPasting] = useState<string | null>(null);
  const [pattern, setPattern] = useState('Chapter #');
  const [wrong, setWrong] = useState<string | null>(null);
  const set = (next: readonly ReelChapter[]) => {
    onChange({ ...reel, chapters: [...next].sort((a, b) => a.startMs - b.startMs) });
  };
  const rename = (names: readonly string[]) => {
    set(chapters.map((c, i) => ({ ...c, name: names[i] ?? c.name })));
  };
  const take = (text: string) => {
    try {
      const list = readChapterList(text);
      const timed = list.filter((c): c is { startMs: number; name: string } => c.startMs !== null);
      if (timed.length > 0) {
        const inside = timed.filter((c) => c.startMs < durationMs);
        set(inside.map((c, i) => ({ startMs: i === 0 ? 0 : c.startMs, name: c.name || `Chapter ${i + 1}` })));
        setWrong(inside.length < timed.length ? `${timed.length - inside.length} begin after the end of the reel and were left out` : null);
      } else {
        rename(list.map((c) => c.name));
        setWrong(list.length === chapters.length ? null : `${list.length} names for ${chapters.length} chapters`);
      }
      setPasting(null);
    } catch (error) {
      if (!(error instanceof ChapterListError)) throw error;
      setWrong(error.message);
    }
  };
  const name = reel.name || 'chapters';
  return (
    <div>
      <div className="flex flex-wrap items-center gap-1.5 pb-2">
        <Button
          onClick={() => {
            setPasting(pasting === null ? '' : null);
            setWrong(null);
          }}
        >
          Paste a list
        </Button>
        <FileButton label="Open a chapter file" accept=".vtt,.txt,text/vtt,text/plain" onFile={(file) => void file.text().then(take)}>
          Open a file
        </FileButton>
        <Button
          onClick={() => {
            saveText(`${name}.vtt`, chaptersToWebVtt(chapters, durationMs), 'text/vtt');
          }}
        >
          Save as WebVTT
        </Button>
        <Button
          onClick={() => {
            saveText(`${name} - chapters.txt`, chaptersToText(chapters), 'text/plain');
          }}
        >
          Save as lines
        </Button>
        <span className="ml-auto flex items-center gap-1.5">
          <TextField
            label="Pattern for names"
            value={pattern}
            className="w-32"
            onChange={(e) => {
              setPattern(e.target.value);
            }}
          />
          <Button
            onClick={() => {
              rename(numberedNames(pattern, chapters.length));
            }}
          >
            Number them
          </Button>
        </span>
      </div>
      {pasting !== null && (
        <div className="flex flex-col gap-1.5 pb-2">
          <textarea
            aria-label="Chapter list"
            rows={5}
            value={pasting}
            placeholder={'A name a line, or\n00:00:00.000 Casting off\n00:04:10.500 The first haul\nor a WebVTT file'}
            onChange={(e) => {
              setPasting(e.target.value);
            }}
            className="rounded-[5px] border border-line bg-card px-2 py-1 font-mono text-[12px]"
          />
          <span className="flex gap-2">
            <Button
              tone="main"
              onClick={() => {
                take(pasting);
              }}
            >
              Take the list
            </Button>
          </span>
        </div>
      )}
      {wrong && (
        <p role="alert" className="pb-2 text-eyes">
          {wrong}
        </p>
      )}
      <ol className="grid grid-cols-2 gap-x-6 gap-y-1">
        {chapters.map((chapter, i) => (
          <li key={`${i} ${chapter.startMs}`} className="grid grid-cols-[24px_108px_minmax(0,1fr)_auto] items-center gap-1.5">
            <span className="text-right text-second">{i + 1}</span>
            <TextField
              label={`Time of chapter ${i + 1}`}
              defaultValue={stampOf(chapter.startMs)}
              disabled={i === 0}
              onBlur={(e) => {
                const ms = readStamp(e.target.value);
                if (ms !== null && ms < durationMs && Math.round(ms) !== Math.round(chapter.startMs))
                  set(chapters.map((c, n) => (n === i ? { ...c, startMs: ms } : c)));
              }}
            />
            <TextField
              label={`Name of chapter ${i + 1} of the reel`}
              value={chapter.name}
              onChange={(e) => {
                set(chapters.map((c, n) => (n === i ? { ...c, name: e.target.value } : c)));
              }}
            />
            <span className="flex">
              <button
                type="button"
                aria-label={`Add a chapter after ${i + 1}`}
                title="Add a chapter after this one"
                className="text-third hover:text-ink"
                onClick={() => {
                  const end = chapters[i + 1]?.startMs ?? durationMs;
                  set([...chapters, { startMs: Math.round((chapter.startMs + end) / 2), name: 'New chapter' }]);
                }}
              >
                <Plus size={14} aria-hidden />
              </button>
              <button
                type="button"
                aria-label={`Remove chapter ${i + 1}`}
                disabled={i === 0}
                className="text-third hover:text-ink disabled:opacity-30"
                onClick={() => {
                  set(chapters.filter((_, n) => n !== i));
                }}
              >
                <X size={14} aria-hidden />
              </button>
            </span>
          </li>
        ))}
      </ol>
      {reel.chapters && (
        <p className="pt-2">
          <button
            type="button"
            className="text-accent hover:underline"
            onClick={() => {
              onChange({ ...reel, chapters: null });
            }}
          >
            Back to the disc’s own chapters
          </button>
        </p>
      )}
    </div>
  );
}
