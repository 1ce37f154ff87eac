'use client';

import { X } from 'lucide-react';
import { useState } from 'react';
import { SubtitleFileError, readStamp, readSubtitleFile, stampOf, type AddedAudio, type AddedSubtitle, type Reel } from '@/core/reels';
import { call } from '@/store/api';
import { useEngine } from '@/store/engine';
import { clock, plural } from '../../format';
import { Button, StateText } from '../../parts/controls';
import { Check, TextField } from '../../parts/fields';
import { FileButton } from '../../parts/file-button';
import { LanguageField } from '../../parts/language-field';
import { PlaceBrowser } from '../../parts/place-browser';

const ROW =
  'grid grid-cols-[minmax(80px,130px)_minmax(72px,96px)_minmax(72px,1fr)_116px_auto_auto] items-center gap-2 border-b border-faint py-1 last:border-0';

/** A track from a file: what it is called, its language, by how much it is shifted. Then what only one kind has. */
function FromFile({
  kind,
  track,
  facts,
  children,
  onChange,
  onRemove,
}: {
  kind: 'sound' | 'subtitles';
  track: Pick<AddedAudio, 'name' | 'language' | 'offsetMs'>;
  facts: string;
  children: React.ReactNode;
  onChange: (change: Partial<Pick<AddedAudio, 'name' | 'language' | 'offsetMs'>>) => void;
  onRemove: () => void;
}) {
  const { name, language, offsetMs } = track;
  const written = `${offsetMs < 0 ? '-' : ''}${Math.abs(offsetMs) / 1000}`;
  return (
    <li className={ROW}>
      <TextField
        label={`Name of the added ${kind}`}
        placeholder="no name"
        value={name}
        onChange={(e) => {
          onChange({ name: e.target.value });
        }}
      />
      <LanguageField
        label={`Language of the added ${kind}`}
        none="language"
        value={language}
        onChange={(tag) => {
          onChange({ language: tag });
        }}
      />
      <span className="truncate text-second" title={facts}>
        {facts}
      </span>
      <label className="flex items-center gap-1 text-second">
        offset
        <TextField
          key={written}
          label={`Offset of the added ${kind}`}
          title="Seconds, or H:MM:SS; negative to begin earlier"
          defaultValue={written}
          className="w-16 text-right"
          onBlur={(e) => {
            const text = e.target.value.trim();
            const ms = readStamp(text.replace(/^[-+−]/, ''));
            if (ms !== null) onChange({ offsetMs: /^[-−]/.test(text) ? -ms : ms });
            else e.target.value = written;
          }}
        />
        s
      </label>
      <span className="flex gap-2">{children}</span>
      <button
        type="button"
        className="rounded-[4px] p-0.5 text-second hover:bg-wash hover:text-ink"
        aria-label={`Take out ${name || `the added ${kind}`}`}
        onClick={onRemove}
      >
        <X size={14} aria-hidden />
      </button>
    </li>
  );
}

function replaced<T>(list: readonly T[], at: number, change: Partial<T> | null): T[] {
  return list.flatMap((item, n) => (n !== at ? [item] : change === null ? [] : [{ ...item, ...change }]));
}

const soundFacts = (a: AddedAudio) =>
  `${a.codec}${a.bitDepth === null ? '' : ` ${a.bitDepth} bit`}, ${plural(a.channels, 'channel')}, ${clock(a.durationMs)}, ${a.source.path}`;

interface FileRowProps {
  readonly reel: Reel;
  readonly at: number;
  readonly onChange: (reel: Reel) => void;
}

function SoundRow({ reel, at, onChange }: FileRowProps) {
  const sounds = reel.addedAudio ?? [];
  const a = sounds[at];
  const set = (change: Partial<AddedAudio> | null) => {
    onChange({ ...reel, addedAudio: replaced(sounds, at, change) });
  };
  if (!a) return null;
  return (
    <FromFile
      kind="sound"
      track={a}
      facts={soundFacts(a)}
      onChange={(change) => {
        set(change);
      }}
      onRemove={() => {
        set(null);
      }}
    >
      <Check
        label="default"
        checked={a.isDefault}
        onChange={(isDefault) => {
          onChange({
            ...reel,
            audio: isDefault ? reel.audio.map((t) => ({ ...t, isDefault: false })) : reel.audio,
            addedAudio: sounds.map((s, n) => ({ ...s, isDefault: n === at && isDefault })),
          });
        }}
      />
      <Check
        label="commentary"
        checked={a.isCommentary}
        onChange={(isCommentary) => {
          set({ isCommentary });
        }}
      />
      <Check
        label="description"
        checked={a.isVisuallyImpaired}
        onChange={(isVisuallyImpaired) => {
          set({ isVisuallyImpaired });
        }}
      />
    </FromFile>
  );
}

function TextRow({ reel, at, onChange }: FileRowProps) {
  const texts = reel.added ?? [];
  const a = texts[at];
  const set = (change: Partial<AddedSubtitle> | null) => {
    onChange({ ...reel, added: replaced(texts, at, change) });
  };
  if (!a) return null;
  return (
    <FromFile
      kind="subtitles"
      track={a}
      facts={`${a.format}, ${plural(a.cues.length, 'line')}, first at ${stampOf(Math.max(0, (a.cues[0]?.startMs ?? 0) + a.offsetMs))}`}
      onChange={(change) => {
        set(change);
      }}
      onRemove={() => {
        set(null);
      }}
    >
      <Check
        label="forced"
        checked={a.isForced}
        onChange={(isForced) => {
          set({ isForced });
        }}
      />
    </FromFile>
  );
}

/** Sound and subtitles that come from files beside the disc. */
export function FromFiles({ reel, onChange }: { reel: Reel; onChange: (reel: Reel) => void }) {
  const { state } = useEngine();
  const [wrong, setWrong] = useState<string | null>(null);
  const [browsing, setBrowsing] = useState(false);
  const texts = reel.added ?? [];
  const sounds = reel.addedAudio ?? [];
  const addText = async (file: File) => {
    try {
      const parsed = readSubtitleFile(await file.text());
      const own = { name: file.name.replace(/\.[^.]+$/, ''), language: null, offsetMs: 0, isDefault: false, isForced: false };
      const added: AddedSubtitle = { ...parsed, ...own };
      onChange({ ...reel, added: [...texts, added] });
      setWrong(null);
    } catch (error) {
      if (!(error instanceof SubtitleFileError)) throw error;
      setWrong(`${file.name}: ${error.message}`);
    }
  };
  const addSound = async (root: string, path: string) => {
    const { sizeBytes, fingerprint, durationMs, streams } = await call('sound', { query: { root, path } });
    const name = (path.split('/').at(-1) ?? path).replace(/\.[^.]+$/, '');
    const added = streams.map(({ stream, codec, channels, sampleRateHz, bitDepth, language }): AddedAudio => ({
      source: { root, path, sizeBytes, fingerprint, stream },
      ...{ codec, channels, sampleRateHz, bitDepth, durationMs, name, language },
      ...{ offsetMs: 0, isDefault: false, isCommentary: false, isVisuallyImpaired: false },
    }));
    onChange({ ...reel, addedAudio: [...sounds, ...added] });
  };
  return (
    <section aria-label="Tracks from files">
      <h3 className="smallcaps">From files</h3>
      <ul>
        {sounds.map((_, i) => (
          <SoundRow key={i} reel={reel} at={i} onChange={onChange} />
        ))}
        {texts.map((_, i) => (
          <TextRow key={i} reel={reel} at={i} onChange={onChange} />
        ))}
      </ul>
      <div className="flex gap-2 pt-1.5">
        <Button
          disabled={!state || state.roots.length === 0}
          onClick={() => {
            setBrowsing(true);
          }}
        >
          Add a sound file
        </Button>
        <FileButton label="Add a subtitle file" accept=".srt,.vtt,.ass,.ssa" onFile={(file) => void addText(file)}>
          Add a subtitle file
        </FileButton>
      </div>
      {wrong && (
        <p role="alert" className="pt-1">
          <StateText state="eyes">{wrong}</StateText>
        </p>
      )}
      {browsing && state && (
        <PlaceBrowser
          title="Choose a file with sound"
          places={state.roots}
          forSound
          action="Add"
          empty="No file with sound here. Sound files are looked for in the folders that discs are read from."
          onChoose={addSound}
          onClose={() => {
            setBrowsing(false);
          }}
        />
      )}
    </section>
  );
}
