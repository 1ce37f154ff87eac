'use client';

import { ArrowDown, ArrowUp, X } from 'lucide-react';
import { useState } from 'react';
import { isPictures } from '@/core/reading';
import { besideFiles, type Reel, type TakenTrack } from '@/core/reels';
import type { DraftReel } from '@/store/db';
import { languageName, list as listed } from '../../format';
import { Check, TextField } from '../../parts/fields';
import { audioText, subtitleText } from '../../words';
import { useBench } from '../bench-context';
import { FromFiles } from './from-files';
import { ReadTextDialog } from './read-text-dialog';
import { ViewsOfPicture } from './views-of-picture';

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
    <li className="grid grid-cols-[minmax(70px,110px)_minmax(104px,1fr)_minmax(56px,130px)_auto_auto_auto] items-center gap-2 border-b border-faint py-1 last:border-0">
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

/** The tracks that a reel takes: order, names, flags; forced events for themselves; sound and subtitles from files. */
export function TracksPart({ draft }: { draft: DraftReel }) {
  const { disc, commands, source } = useBench();
  const { reel } = draft;
  const onChange = (next: Reel) => {
    commands.change(draft.id, next);
  };
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
          const what = source
            ? audioText(source)
            : `${subtitle ? subtitleText(subtitle.codec) : ''}${track.forcedOnly ? ', forced events only' : ''}`;
          return (
            <Taken
              key={`${track.stream} ${track.forcedOnly ?? false}`}
              name={`${kind === 'audio' ? 'audio' : 'subtitle'} track ${i + 1}`}
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
                const next = tracks.map((t, n) => ({ ...t, isDefault: n === i ? !t.isDefault : false }));
                const addedAudio = reel.addedAudio?.map((s) => (kind === 'audio' ? { ...s, isDefault: false } : s));
                onChange({ ...reel, [kind]: next, ...(addedAudio ? { addedAudio } : {}) });
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
  const [reading, setReading] = useState<number | null>(null);
  // A view of a disc knows one title.
  const isOne = reel.pieces.every((p) => p.title === title?.number);
  const pictures = reel.subtitles.flatMap((track, at) =>
    isOne && isPictures(title?.subtitles.find((t) => t.stream === track.stream)?.codec ?? 'text') ? [{ track, at }] : [],
  );
  const full = reel.subtitles.filter((t) => !t.forcedOnly && !reel.subtitles.some((o) => o.stream === t.stream && o.forcedOnly));
  const forcedKnown = new Map(title?.measured?.subtitles.map((s) => [s.stream, s.forcedAtMs.length]) ?? []);
  return (
    <div className="flex flex-col gap-2">
      {title && <ViewsOfPicture title={title} reel={reel} onChange={onChange} />}
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
                {forcedKnown.has(t.stream) ? ` (${forcedKnown.get(t.stream) ?? 0})` : ''}
              </button>
            ))}
          </p>
        )}
        {pictures.length > 0 && title && (
          <p className="flex flex-wrap items-center gap-x-3 gap-y-1 pt-1.5 text-second">
            Pictures read into text:
            {pictures.map(({ track, at }) => (
              <button
                key={`${track.stream} ${track.forcedOnly ?? false}`}
                type="button"
                className="text-accent hover:underline"
                onClick={() => {
                  setReading(at);
                }}
              >
                {languageName(track.language)}
                {track.forcedOnly ? ', forced' : ''}
              </button>
            ))}
          </p>
        )}
        {reading !== null && title && (
          <ReadTextDialog
            disc={disc}
            title={title}
            reel={reel}
            subtitle={reading}
            source={source}
            onTake={(added) => {
              onChange({ ...reel, added: [...(reel.added ?? []), added] });
            }}
            onClose={() => {
              setReading(null);
            }}
          />
        )}
        {(reel.subtitles.length > 0 || (reel.added?.length ?? 0) > 0) && (
          <div className="flex items-center gap-3 pt-1.5">
            <Check
              label="Also as files beside the result"
              checked={reel.subtitleFiles ?? false}
              onChange={(subtitleFiles) => {
                onChange({ ...reel, subtitleFiles });
              }}
            />
            {reel.subtitleFiles && (
              <span className="truncate text-second">named like it, with {listed(besideFiles(reel).map((f) => f.ending))}</span>
            )}
          </div>
        )}
      </section>
      <FromFiles reel={reel} onChange={onChange} />
    </div>
  );
}
