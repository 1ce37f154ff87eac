'use client';

import { ArrowDown, ArrowUp, X } from 'lucide-react';
import { useState } from 'react';
import { SubtitleFileError, readStamp, readSubtitleFile, stampOf, type AddedSubtitle, type Reel, type TakenTrack } from '@/core/reels';
import type { DiscRecord } from '@/store/db';
import { languageName, plural } from '../../format';
import { StateText } from '../../parts/controls';
import { Check, TextField } from '../../parts/fields';
import { audioText } from '../../words';

const small = 'rounded-[4px] p-0.5 text-second hover:bg-wash hover:text-ink disabled:opacity-30';

function moved<T>(list: readonly T[], from: number, to: number): T[] {
  const next = [...list];
  const [item] = next.splice(from, 1);
  if (item !== undefined) next.splice(to, 0, item);
  return next;
}

function Taken({
  name,
  what,
  track,
  first,
  last,
  onMove,
  onChange,
  onDefault,
  onRemove,
}: {
  name: string;
  what: string;
  track: TakenTrack;
  first: boolean;
  last: boolean;
  onMove: (by: 1 | -1) => void;
  onChange: (track: TakenTrack) => void;
  onDefault: () => void;
  onRemove: () => void;
}) {
  return (
    <li className="grid grid-cols-[132px_minmax(0,1fr)_150px_auto_auto_auto] items-center gap-2 border-b border-faint py-1 last:border-0">
      <span className="truncate font-semibold">{languageName(track.language)}</span>
      <span className="truncate text-second">{what}</span>
      <TextField
        label={`Name of ${name}`}
        placeholder="no name"
        value={track.name}
        onChange={(e) => {
          onChange({ ...track, name: e.target.value });
        }}
      />
      <Check label="default" checked={track.isDefault} onChange={onDefault} />
      <Check
        label="forced"
        checked={track.isForced}
        onChange={(isForced) => {
          onChange({ ...track, isForced });
        }}
      />
      <span className="flex">
        <button
          type="button"
          className={small}
          aria-label={`Move ${name} up`}
          disabled={first}
          onClick={() => {
            onMove(-1);
          }}
        >
          <ArrowUp size={14} aria-hidden />
        </button>
        <button
          type="button"
          className={small}
          aria-label={`Move ${name} down`}
          disabled={last}
          onClick={() => {
            onMove(1);
          }}
        >
          <ArrowDown size={14} aria-hidden />
        </button>
        <button type="button" className={small} aria-label={`Leave ${name}`} onClick={onRemove}>
          <X size={14} aria-hidden />
        </button>
      </span>
    </li>
  );
}

/** The tracks that a reel takes: order, names, flags; forced events for themselves; subtitles from files. */
export function TracksPart({ disc, reel, onChange }: { disc: DiscRecord; reel: Reel; onChange: (reel: Reel) => void }) {
  const [wrong, setWrong] = useState<string | null>(null);
  const title = disc.reading.titles.find((t) => t.number === reel.pieces[0]?.title);
  const list = (kind: 'audio' | 'subtitles') => {
    const tracks = reel[kind];
    const set = (next: readonly TakenTrack[]) => {
      onChange({ ...reel, [kind]: next });
    };
    return (
      <ol>
        {tracks.map((track, i) => {
          const source = kind === 'audio' ? title?.audio.find((t) => t.stream === track.stream) : null;
          const subtitle = kind === 'subtitles' ? title?.subtitles.find((t) => t.stream === track.stream) : null;
          const what = source ? audioText(source) : `${subtitle?.codec ?? ''}${track.forcedOnly ? ', forced events only' : ''}`;
          return (
            <Taken
              key={`${String(track.stream)} ${String(track.forcedOnly ?? false)}`}
              name={`${kind === 'audio' ? 'audio' : 'subtitle'} track ${String(i + 1)}`}
              what={what}
              track={track}
              first={i === 0}
              last={i === tracks.length - 1}
              onMove={(by) => {
                set(moved(tracks, i, i + by));
              }}
              onChange={(next) => {
                set(tracks.map((t, n) => (n === i ? next : t)));
              }}
              onDefault={() => {
                set(tracks.map((t, n) => ({ ...t, isDefault: n === i ? !t.isDefault : false })));
              }}
              onRemove={() => {
                set(tracks.filter((_, n) => n !== i));
              }}
            />
          );
        })}
      </ol>
    );
  };
  const full = reel.subtitles.filter((t) => !t.forcedOnly && !reel.subtitles.some((o) => o.stream === t.stream && o.forcedOnly));
  const forcedKnown = new Map(title?.measured?.subtitles.map((s) => [s.stream, s.forcedAtMs.length]) ?? []);
  const add = async (file: File) => {
    try {
      const parsed = readSubtitleFile(await file.text());
      const added: AddedSubtitle = {
        ...parsed,
        name: file.name.replace(/\.[^.]+$/, ''),
        language: null,
        offsetMs: 0,
        isDefault: false,
        isForced: false,
      };
      onChange({ ...reel, added: [...(reel.added ?? []), added] });
      setWrong(null);
    } catch (error) {
      if (!(error instanceof SubtitleFileError)) throw error;
      setWrong(`${file.name}: ${error.message}`);
    }
  };
  const setAdded = (at: number, change: Partial<AddedSubtitle> | null) => {
    const next = (reel.added ?? []).flatMap((a, n) => (n !== at ? [a] : change === null ? [] : [{ ...a, ...change }]));
    onChange({ ...reel, added: next });
  };
  return (
    <div className="flex flex-col gap-3">
      <section aria-label="Audio tracks of the reel">
        <h3 className="smallcaps">Audio</h3>
        {list('audio')}
      </section>
      <section aria-label="Subtitle tracks of the reel">
        <h3 className="smallcaps">Subtitles</h3>
        {list('subtitles')}
        {full.length > 0 && (
          <p className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-1.5 text-second">
            Forced events as a track of their own:
            {full.map((t) => (
              <button
                key={t.stream}
                type="button"
                className="text-accent hover:underline"
                onClick={() => {
                  const own: TakenTrack = { ...t, forcedOnly: true, isForced: true, isDefault: false, name: 'Forced' };
                  onChange({ ...reel, subtitles: [...reel.subtitles, own] });
                }}
              >
                {languageName(t.language)}
                {forcedKnown.has(t.stream) ? ` (${String(forcedKnown.get(t.stream) ?? 0)})` : ''}
              </button>
            ))}
          </p>
        )}
      </section>
      <section aria-label="Subtitles from files">
        <h3 className="smallcaps">From files</h3>
        <ul>
          {(reel.added ?? []).map((a, i) => (
            <li
              key={`${a.name} ${String(i)}`}
              className="grid grid-cols-[150px_72px_minmax(0,1fr)_120px_auto_auto] items-center gap-2 py-1"
            >
              <TextField
                label="Name of the added track"
                value={a.name}
                onChange={(e) => {
                  setAdded(i, { name: e.target.value });
                }}
              />
              <TextField
                label="Language of the added track"
                placeholder="language"
                value={a.language ?? ''}
                onChange={(e) => {
                  setAdded(i, { language: e.target.value.trim() || null });
                }}
              />
              <span className="text-second">
                {a.format}, {plural(a.cues.length, 'line')}, first at {stampOf((a.cues[0]?.startMs ?? 0) + a.offsetMs)}
              </span>
              <label className="flex items-center gap-1 text-second">
                offset
                <TextField
                  label="Offset of the added track"
                  defaultValue={`${a.offsetMs < 0 ? '-' : ''}${String(Math.abs(a.offsetMs) / 1000)}`}
                  className="w-16 text-right"
                  onBlur={(e) => {
                    const text = e.target.value.trim();
                    const ms = readStamp(text.replace(/^[-+]/, ''));
                    if (ms !== null) setAdded(i, { offsetMs: text.startsWith('-') ? -ms : ms });
                  }}
                />
                s
              </label>
              <Check
                label="forced"
                checked={a.isForced}
                onChange={(isForced) => {
                  setAdded(i, { isForced });
                }}
              />
              <button
                type="button"
                className={small}
                aria-label={`Take ${a.name} out`}
                onClick={() => {
                  setAdded(i, null);
                }}
              >
                <X size={14} aria-hidden />
              </button>
            </li>
          ))}
        </ul>
        <label className="mt-1 inline-flex cursor-pointer items-center rounded-[6px] border border-line bg-card px-2.5 py-1 hover:border-second">
          Add a subtitle file
          <input
            type="file"
            aria-label="Add a subtitle file"
            accept=".srt,.vtt,.ass,.ssa"
            className="sr-only"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) void add(file);
              e.target.value = '';
            }}
          />
        </label>
        {wrong && (
          <p role="alert" className="pt-1">
            <StateText state="eyes">{wrong}</StateText>
          </p>
        )}
      </section>
    </div>
  );
}
