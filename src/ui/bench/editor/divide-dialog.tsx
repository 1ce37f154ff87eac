'use client';

import { useState } from 'react';
import type { Chapter, Title } from '@/core/reading';
import { divideAtMarks, pieceSpan, readStamp, reelMs, type Reel, type Piece } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { clock, plural } from '../../format';
import { Button, StateText } from '../../parts/controls';
import { Row, TextField } from '../../parts/fields';
import { Modal } from '../../parts/modal';

/** What a reel is divided into by marks and by times that were written; and the times that are none between its beginning and its end. */
function division(title: Title, reel: Reel, piece: Piece, before: ReadonlySet<number>, times: string) {
  const span = pieceSpan(title, piece);
  const lines = times
    .split('\n')
    .map((l) => l.trim())
    .filter((l) => l !== '');
  const moments = lines.map(readStamp);
  const wrong = lines.filter((_, i) => {
    const ms = moments[i];
    return ms === null || ms === undefined || ms <= span.fromMs || ms >= span.toMs;
  });
  const parts = divideAtMarks(
    title,
    reel,
    [...before],
    moments.filter((m): m is number => m !== null),
  );
  return { parts, wrong };
}

/** Chapters with which a new reel can begin. */
function Marks({
  chapters,
  before,
  onChange,
}: {
  chapters: readonly Chapter[];
  before: ReadonlySet<number>;
  onChange: (before: ReadonlySet<number>) => void;
}) {
  return (
    <ol className="grid max-h-56 grid-cols-2 gap-x-6 overflow-y-auto pr-2">
      {chapters.map((c, i) => (
        <li key={c.number}>
          <label className={`flex items-center gap-2 py-0.5 ${i === 0 ? 'text-third' : ''}`}>
            <input
              type="checkbox"
              className="accent-(--accent)"
              disabled={i === 0}
              checked={i === 0 || before.has(c.number)}
              onChange={(e) => {
                const next = new Set(before);
                if (e.target.checked) next.add(c.number);
                else next.delete(c.number);
                onChange(next);
              }}
            />
            <span className="flex-1 truncate">{c.name ?? `chapter ${c.number}`}</span>
            <span className="text-second">{clock(c.startMs)}</span>
          </label>
        </li>
      ))}
    </ol>
  );
}

function Parts({ parts, titles }: { parts: readonly Reel[]; titles: readonly Title[] }) {
  return (
    <ol className="max-h-40 overflow-y-auto">
      {parts.map((p) => (
        <li key={p.name} className="flex justify-between gap-4">
          <span className="truncate">{p.name}</span>
          <span className="text-second">{clock(reelMs(titles, p.pieces))}</span>
        </li>
      ))}
    </ol>
  );
}

/** Where a reel of one piece is divided: before chapters, in groups of so many, or at any times. */
export function DivideDialog({
  disc,
  reel,
  onDivide,
  onClose,
}: {
  disc: DiscRecord;
  reel: Reel;
  onDivide: (reels: readonly Reel[]) => void;
  onClose: () => void;
}) {
  const [piece] = reel.pieces;
  const title = disc.reading.titles.find((t) => t.number === piece?.title);
  const [before, setBefore] = useState<ReadonlySet<number>>(new Set());
  const [times, setTimes] = useState('');
  const [group, setGroup] = useState('');
  if (!piece || !title) return null;
  const span = pieceSpan(title, piece);
  const inside = title.chapters.filter((c) => c.startMs >= span.fromMs && c.startMs < span.toMs);
  const { parts, wrong } = division(title, reel, piece, before, times);
  const every = (text: string) => {
    setGroup(text);
    const size = Number(text);
    setBefore(new Set(size > 0 ? inside.filter((_, i) => i > 0 && i % size === 0).map((c) => c.number) : []));
  };
  return (
    <Modal
      title={`Divide ${reel.name}`}
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            tone="main"
            disabled={parts.length < 2 || wrong.length > 0}
            onClick={() => {
              onDivide(parts);
              onClose();
            }}
          >
            {parts.length < 2 ? 'Divide' : `Make ${plural(parts.length, 'reel')} of it`}
          </Button>
        </>
      }
    >
      {inside.length > 1 && (
        <>
          <Row name="in groups of">
            <span className="flex items-center gap-2">
              <TextField
                label="Chapters in a group"
                inputMode="numeric"
                className="w-14 text-right"
                value={group}
                onChange={(e) => {
                  every(e.target.value.replace(/\D/g, '').slice(0, 3));
                }}
              />
              chapters
            </span>
          </Row>
          <Row name="a new reel at">
            <Marks
              chapters={inside}
              before={before}
              onChange={(next) => {
                setBefore(next);
                setGroup('');
              }}
            />
          </Row>
        </>
      )}
      <Row name="and at times" hint="of the title's playing time, one a line: 0:12:30 or 750.5">
        <textarea
          aria-label="Times to divide at"
          rows={3}
          value={times}
          onChange={(e) => {
            setTimes(e.target.value);
          }}
          className="w-48 rounded-[5px] border border-line bg-card px-1.5 py-0.5"
        />
        {wrong.length > 0 && (
          <StateText state="eyes">
            {wrong[0]} is no time between {clock(span.fromMs)} and {clock(span.toMs)}
          </StateText>
        )}
      </Row>
      <Row name="gives">
        <Parts parts={parts} titles={disc.reading.titles} />
      </Row>
    </Modal>
  );
}
