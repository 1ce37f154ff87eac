'use client';

import { ArrowDown, ArrowUp, X } from 'lucide-react';
import type { Title } from '@/core/reading';
import {
  absencesOf,
  frameAt,
  msOfFrame,
  movePiece,
  pieceSpan,
  readStamp,
  removePiece,
  stampOf,
  type Piece,
  type PieceSpan,
  type Reel,
} from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { clock } from '../../format';
import { Button, StateText } from '../../parts/controls';
import { Select, TextField } from '../../parts/fields';
import { useBench } from '../bench-context';

type Manner = 'chapters' | 'time' | 'frames';

/** A range by its times, or by its frames. */
function RangeFields({ title, span, onChange }: { title: Title; span: PieceSpan; onChange: (fromMs: number, toMs: number) => void }) {
  return (
    <>
      <TextField
        key={`from ${span.fromMs}`}
        label="From time"
        defaultValue={stampOf(span.fromMs)}
        className="w-[104px]"
        onBlur={(e) => {
          const ms = readStamp(e.target.value);
          if (ms !== null) onChange(ms, span.toMs);
        }}
      />
      to
      <TextField
        key={`to ${span.toMs}`}
        label="To time"
        defaultValue={stampOf(span.toMs)}
        className="w-[104px]"
        onBlur={(e) => {
          const ms = readStamp(e.target.value);
          if (ms !== null) onChange(span.fromMs, ms);
        }}
      />
      <span className="text-second">or frames</span>
      <TextField
        key={`frame ${span.fromMs}`}
        label="From frame"
        defaultValue={String(frameAt(title, span.fromMs))}
        className="w-[72px] text-right"
        onBlur={(e) => {
          const frame = Number(e.target.value);
          if (Number.isFinite(frame) && frame !== frameAt(title, span.fromMs)) onChange(msOfFrame(title, frame), span.toMs);
        }}
      />
      to
      <TextField
        key={`last ${span.toMs}`}
        label="To frame"
        defaultValue={String(frameAt(title, span.toMs))}
        className="w-[72px] text-right"
        onBlur={(e) => {
          const frame = Number(e.target.value);
          if (Number.isFinite(frame) && frame !== frameAt(title, span.toMs)) onChange(span.fromMs, msOfFrame(title, frame));
        }}
      />
    </>
  );
}

/** What a piece takes of its title: whole chapters, a range of time, or one of frames. */
function PieceRow({ title, piece, onChange }: { title: Title; piece: Piece; onChange: (piece: Piece) => void }) {
  const { moment } = useBench();
  const here = moment?.title === title.number ? moment.ms : null;
  const span = pieceSpan(title, piece);
  const manner: Manner = piece.range ? 'time' : 'chapters';
  const setRange = (fromMs: number, toMs: number) => {
    const from = Math.max(0, Math.min(fromMs, title.durationMs - 1));
    onChange({ ...piece, range: { fromMs: from, toMs: Math.max(from + 1, Math.min(toMs, title.durationMs)) } });
  };
  const chapterOptions = title.chapters.map((c) => ({ value: String(c.number), name: `${c.number} at ${clock(c.startMs)}` }));
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <Select
        label={`What is taken of title ${title.number}`}
        value={manner}
        options={[
          { value: 'chapters', name: 'chapters' },
          { value: 'time', name: 'a range' },
        ]}
        onChange={(value) => {
          onChange(value === 'chapters' ? { ...piece, range: null } : { ...piece, range: { ...span } });
        }}
      />
      {piece.range ? (
        <RangeFields title={title} span={span} onChange={setRange} />
      ) : (
        <>
          <Select
            label="From chapter"
            value={String(piece.fromChapter)}
            options={chapterOptions}
            onChange={(v) => {
              onChange({ ...piece, fromChapter: Number(v), toChapter: Math.max(Number(v), piece.toChapter) });
            }}
          />
          to
          <Select
            label="To chapter"
            value={String(piece.toChapter)}
            options={chapterOptions.slice(piece.fromChapter - 1)}
            onChange={(v) => {
              onChange({ ...piece, toChapter: Number(v) });
            }}
          />
        </>
      )}
      <span className="flex gap-1">
        <Button
          className="px-2 py-0"
          disabled={here === null || here >= span.toMs}
          title={here === null ? 'Look at a moment of this title first' : `The piece begins at ${clock(here)}`}
          onClick={() => {
            if (here !== null) setRange(here, span.toMs);
          }}
        >
          from here
        </Button>
        <Button
          className="px-2 py-0"
          disabled={here === null || here <= span.fromMs}
          title={here === null ? 'Look at a moment of this title first' : `The piece ends at ${clock(here)}`}
          onClick={() => {
            if (here !== null) setRange(span.fromMs, here);
          }}
        >
          to here
        </Button>
      </span>
      {title.angles > 1 && (
        <Select
          label="Angle of the piece"
          value={String(piece.angle)}
          options={Array.from({ length: title.angles }, (_, i) => ({ value: String(i + 1), name: `angle ${i + 1}` }))}
          onChange={(v) => {
            onChange({ ...piece, angle: Number(v) });
          }}
        />
      )}
      <span className="ml-auto text-second">{clock(span.toMs - span.fromMs)}</span>
    </div>
  );
}

const small = 'rounded-[4px] p-0.5 text-second hover:bg-wash hover:text-ink disabled:opacity-30';

/** The pieces of a reel in their order, and what will be missing where. */
export function PiecesPart({ draft }: { draft: DraftReel }) {
  const { disc, commands } = useBench();
  const { reel } = draft;
  const onChange = (next: Reel) => {
    commands.change(draft.id, next);
  };
  const absences = absencesOf(disc.reading, reel);
  return (
    <div>
      <ol className="flex flex-col gap-2">
        {reel.pieces.map((piece, i) => {
          const title = disc.reading.titles.find((t) => t.number === piece.title);
          if (!title) return null;
          return (
            // Pieces have no names of their own: two may be the same stretch.

            <li key={`${piece.title} ${i}`} className="grid grid-cols-[70px_minmax(0,1fr)_auto] items-start gap-2">
              <span className="pt-0.5 font-semibold">Title {piece.title}</span>
              <PieceRow
                title={title}
                piece={piece}
                onChange={(next) => {
                  onChange({ ...reel, pieces: reel.pieces.map((p, n) => (n === i ? next : p)), chapters: null });
                }}
              />
              <span className="flex">
                <button
                  type="button"
                  className={small}
                  aria-label={`Move piece ${i + 1} up`}
                  disabled={i === 0}
                  onClick={() => {
                    onChange(movePiece(reel, i, i - 1));
                  }}
                >
                  <ArrowUp size={14} aria-hidden />
                </button>
                <button
                  type="button"
                  className={small}
                  aria-label={`Move piece ${i + 1} down`}
                  disabled={i === reel.pieces.length - 1}
                  onClick={() => {
                    onChange(movePiece(reel, i, i + 1));
                  }}
                >
                  <ArrowDown size={14} aria-hidden />
                </button>
                <button
                  type="button"
                  className={small}
                  aria-label={`Take piece ${i + 1} out`}
                  disabled={reel.pieces.length < 2}
                  onClick={() => {
                    onChange(removePiece(reel, i));
                  }}
                >
                  <X size={14} aria-hidden />
                </button>
              </span>
            </li>
          );
        })}
      </ol>
      <label className="flex items-baseline gap-2 pt-3">
        Where the disc is not whole
        <Select
          label="Where the disc is not whole"
          value={reel.damage ?? 'refuse'}
          options={[
            { value: 'refuse', name: 'stop, and let me look' },
            { value: 'around', name: 'take what is there, with its gaps' },
          ]}
          onChange={(damage) => {
            onChange({ ...reel, damage });
          }}
        />
      </label>
      <p className="pt-2 text-[12px] text-third">
        Lossless pieces begin and end where decoding can begin: a range is widened to there, by less than a second on most discs. Nothing
        inside it is lost.
      </p>
      {absences.map((a) => (
        <p key={`${a.kind} ${a.track} ${a.piece}`} className="pt-1">
          <StateText state="eyes">
            {a.kind === 'audio' ? 'Audio' : 'Subtitle'} track {a.track + 1} is missing from {clock(a.fromMs)} to {clock(a.toMs)}: title{' '}
            {reel.pieces[a.piece]?.title} has none that goes on
          </StateText>
        </p>
      ))}
    </div>
  );
}
