'use client';

import { useEffect, useState } from 'react';
import type { AddedSubtitle, Reel, TakenTrack } from '@/core/reels';
import type { Title } from '@/core/reading';
import { SURE_PERCENT, type Problem, type ReadCue } from '@/contract';
import { problemOf } from '@/store/api';
import type { DiscRecord } from '@/store/db';
import { readText } from '@/store/looks';
import type { ReadableSource } from '@/store/sources';
import { clock, languageName, plural } from '../../format';
import { Bar, Button, Mark } from '../../parts/controls';
import { Check } from '../../parts/fields';
import { Modal } from '../../parts/modal';
import { ProblemNote } from '../../parts/problem-note';

/** A subtitle as it is being looked through. */
interface Line extends ReadCue {
  /** As it is now. */
  readonly now: string;
  /** Somebody has looked at it. */
  readonly seen: boolean;
}

const isUnsure = ({ percent, seen }: Line): boolean => percent < SURE_PERCENT && !seen;

/** What was read so far, and how far reading is. */
function useReading(disc: DiscRecord, title: Title, reel: Reel, subtitle: number, source: ReadableSource | null) {
  const [lines, setLines] = useState<readonly Line[]>([]);
  const [progress, setProgress] = useState<{ part: 'disc' | 'text'; share: number } | null>({ part: 'disc', share: 0 });
  const [problem, setProblem] = useState<Problem | null>(null);
  const ref = source?.ref;
  useEffect(() => {
    if (!ref) return;
    const leave = new AbortController();
    readText(
      { source: ref, reading: disc.reading, title: title.number },
      { reel, subtitle },
      (line) => {
        if (line.type === 'failed') setProblem(line.problem);
        else if (line.type === 'progress') setProgress({ part: line.part, share: line.total > 0 ? line.done / line.total : 0 });
        else setLines((all) => [...all, ...line.cues.map((cue) => ({ ...cue, now: cue.text, seen: false }))]);
      },
      leave.signal,
    )
      .catch((error: unknown) => {
        if (!leave.signal.aborted) setProblem(problemOf(error));
      })
      .finally(() => {
        if (!leave.signal.aborted) setProgress(null);
      });
    return () => {
      leave.abort();
    };
    // It is read once, as the reel was when it was asked for.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, []);
  const change = (index: number, more: Partial<Line>) => {
    setLines((all) => all.map((line, i) => (i === index ? { ...line, ...more } : line)));
  };
  return { lines, progress, problem, change, setLines };
}

/** One subtitle: its picture, and what was read. */
function LineRow({ line, index, onChange }: { line: Line; index: number; onChange: (more: Partial<Line>) => void }) {
  const name = `Subtitle ${index + 1}`;
  return (
    <li
      className="grid grid-cols-[64px_minmax(0,1fr)_minmax(0,1fr)_112px] items-center gap-3 border-b border-faint py-1.5 [contain-intrinsic-size:auto_62px] [content-visibility:auto]"
      aria-label={name}
    >
      <span className="text-second tabular-nums">{clock(line.startMs)}</span>
      {/* The picture that it was read from came with it. */}
      {/* eslint-disable-next-line @next/next/no-img-element */}
      <img
        src={line.picture}
        alt={`Picture of subtitle ${index + 1}`}
        className="max-h-14 max-w-full justify-self-start rounded-[3px] bg-white object-contain"
      />
      <textarea
        aria-label={`Text of subtitle ${index + 1}`}
        value={line.now}
        rows={Math.max(1, line.now.split('\n').length)}
        className="w-full resize-none rounded-[6px] border border-line bg-card px-2 py-1"
        onChange={(e) => {
          onChange({ now: e.target.value, seen: true });
        }}
      />
      {line.percent < SURE_PERCENT ? (
        <Check
          label={line.seen ? 'looked at' : `${line.percent} %, right?`}
          checked={line.seen}
          onChange={(seen) => {
            onChange({ seen });
          }}
        />
      ) : (
        <span className="text-second tabular-nums">{line.now === line.text ? `${line.percent} %` : 'changed'}</span>
      )}
    </li>
  );
}

/** Subtitle pictures of a track read into text, looked through, and taken as a track of text. Nothing unsure is taken unseen. */
export function ReadTextDialog({
  disc,
  title,
  reel,
  subtitle,
  source,
  onTake,
  onClose,
}: {
  disc: DiscRecord;
  title: Title;
  reel: Reel;
  subtitle: number;
  source: ReadableSource | null;
  onTake: (added: AddedSubtitle) => void;
  onClose: () => void;
}) {
  const [onlyUnsure, setOnlyUnsure] = useState(false);
  const { lines, progress, problem, change, setLines } = useReading(disc, title, reel, subtitle, source);
  const track: TakenTrack | undefined = reel.subtitles[subtitle];
  const unsure = lines.filter(isUnsure).length;
  const taken = lines.filter((l) => l.now.trim() !== '');
  const isOver = progress === null && problem === null && source !== null;
  const take = () => {
    onTake({
      name: track?.name === '' || !track ? 'Read from pictures' : track.name,
      language: track?.language ?? null,
      format: 'SubRip',
      header: '',
      offsetMs: 0,
      isDefault: false,
      isForced: track?.isForced ?? false,
      cues: taken.map(({ startMs, endMs, now }) => ({ startMs, endMs, text: now.trim() })),
    });
    onClose();
  };
  const shown = lines.flatMap((line, index) => (!onlyUnsure || line.percent < SURE_PERCENT ? [{ line, index }] : []));
  return (
    <Modal
      wide
      title={`${languageName(track?.language ?? null)} subtitles read into text`}
      onClose={onClose}
      footer={
        <>
          <span className="mr-auto self-center text-second" aria-live="polite">
            {unsure > 0 ? (
              <>
                <Mark state="eyes" /> {plural(unsure, 'subtitle')} to be looked at
              </>
            ) : isOver && lines.length > 0 ? (
              'Everything unsure was looked at.'
            ) : (
              ''
            )}
          </span>
          {unsure > 0 && isOver && (
            <Button
              onClick={() => {
                setLines((all) => all.map((l) => ({ ...l, seen: true })));
              }}
            >
              All right as they are
            </Button>
          )}
          <Button tone="main" disabled={!isOver || unsure > 0 || taken.length === 0} onClick={take}>
            Take {plural(taken.length, 'subtitle')} as text
          </Button>
        </>
      }
    >
      {!source && <p className="text-second">Insert the disc, or bring its image back: its pictures are read from it.</p>}
      {problem && <ProblemNote problem={problem} />}
      {progress && source && (
        <div className="flex items-center gap-3 pb-2 text-second">
          <span className="w-40">{progress.part === 'disc' ? 'Reading the title…' : 'Reading the pictures…'}</span>
          <Bar value={progress.share} label="Progress of reading" />
        </div>
      )}
      {isOver && lines.length === 0 && <p className="text-second">This track shows nothing in this reel.</p>}
      {lines.length > 0 && (
        <>
          <div className="pb-1">
            <Check label={`only those read with less than ${SURE_PERCENT} %`} checked={onlyUnsure} onChange={setOnlyUnsure} />
          </div>
          <ol className="max-h-[56dvh] overflow-y-auto pr-1">
            {shown.map(({ line, index }) => (
              <LineRow
                key={index}
                line={line}
                index={index}
                onChange={(more) => {
                  change(index, more);
                }}
              />
            ))}
          </ol>
        </>
      )}
    </Modal>
  );
}
