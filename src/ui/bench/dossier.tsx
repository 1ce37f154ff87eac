'use client';

import { Checkbox } from 'radix-ui';
import { Check } from 'lucide-react';
import { useMemo, type ReactNode } from 'react';
import type { TitleFinding } from '@/core/findings';
import {
  pieceChapters,
  pieceMs,
  ruleThatDecides,
  takeAudio,
  takeSubtitle,
  type HouseRules,
  type Reel,
  type TitleDecision,
  type TrackDecision,
} from '@/core/reels';
import { saveRules } from '@/store/rules';
import { damagedTimes, type Title } from '@/core/reading';
import type { DiscRecord, DraftReel } from '@/store/db';
import type { PictureWish } from '@/store/looks';
import { bytes, clock, languageName, numbers, plural } from '../format';
import { Button, Key, Panel, StateText } from '../parts/controls';
import { MeasureControls, Levels, PictureMeasure } from './measures';
import type { ReadableSource } from '@/store/sources';
import { Picture, Viewer, usePictures } from './viewer';
import { GROUND, audioText, evidenceText, purposeText, remarkText, roleOf, videoText } from '../words';

/** Differences shown; the rest is for comparing side by side. */
const MOST_DIFFERENCES = 12;

interface Props {
  readonly disc: DiscRecord;
  readonly title: Title;
  /** The reel that is being edited, where it takes this title. */
  readonly draft: DraftReel | null;
  /** Where pictures come from; null where the disc is nowhere to be read. */
  readonly source: ReadableSource | null;
  readonly rules: HouseRules;
  /** What the house rules decide of this title and its tracks. */
  readonly decision: TitleDecision | null;
  /** Moment looked at; null while the contact sheet is shown. */
  readonly moment: number | null;
  readonly onLook: (title: number, ms: number | null) => void;
  readonly onTake: () => void;
  readonly onChange: (reel: Reel) => void;
}

function TrackRow({
  checked,
  disabled,
  onChange,
  language,
  what,
  aside,
  name,
}: {
  checked: boolean;
  disabled: boolean;
  onChange: (checked: boolean) => void;
  language: string;
  what: string;
  aside: ReactNode;
  name: string;
}) {
  return (
    <label className={`grid grid-cols-[22px_114px_minmax(0,1fr)_auto] items-center py-[3px] ${checked ? '' : 'text-second'}`}>
      <Checkbox.Root
        aria-label={name}
        checked={checked}
        disabled={disabled}
        onCheckedChange={(v) => {
          onChange(v === true);
        }}
        className="grid size-3.5 place-items-center rounded-[3px] border border-second bg-card data-[state=checked]:border-accent data-[state=checked]:bg-accent disabled:opacity-50"
      >
        <Checkbox.Indicator>
          <Check size={11} strokeWidth={3} className="text-on-accent" aria-hidden />
        </Checkbox.Indicator>
      </Checkbox.Root>
      <span className="truncate font-semibold">{language}</span>
      <span className="truncate">{what}</span>
      <span className="inline-flex items-center gap-2 pl-2 text-[12px] text-second">{aside}</span>
    </label>
  );
}

function Section({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section aria-label={name} className="px-3.5 py-2">
      <h3 className="smallcaps pb-0.5">{name}</h3>
      {children}
    </section>
  );
}

/** Why the house rules take or leave a track; where the user has chosen otherwise, the way to make a rule of it. */
function groundAside(
  disc: DiscRecord,
  decision: TitleDecision | null,
  kind: TrackDecision['kind'],
  stream: number,
  reel: Reel | null,
  rules: HouseRules,
): ReactNode {
  const made = decision?.tracks.find((t) => t.kind === kind && t.stream === stream);
  if (!made || !reel) return null;
  const taken = reel[kind].some((t) => t.stream === stream);
  if (taken === made.taken) return taken ? null : <span>{GROUND[made.ground]}</span>;
  const wish = { title: decision?.title ?? 0, kind, stream, taken };
  const next = ruleThatDecides(disc.reading, disc.findings, rules, wish);
  return (
    <span className="inline-flex items-center gap-1.5">
      <span title={`The house rules would ${made.taken ? 'take' : 'leave'} it: ${GROUND[made.ground]}`}>overruled</span>
      {next && (
        <button
          type="button"
          className="text-accent hover:underline"
          onClick={(e) => {
            e.preventDefault();
            void saveRules(next);
          }}
        >
          make this a rule
        </button>
      )}
    </span>
  );
}

/** What was measured of an audio track, beside it. */
function measuredAside(title: Title, stream: number): ReactNode {
  const audio = title.measured?.audio.find((a) => a.stream === stream);
  if (!audio) return null;
  const place = title.audio.findIndex((t) => t.stream === audio.sameAs);
  return (
    <span className="inline-flex items-center gap-2">
      {audio.sameAs !== null && <StateText state="eyes">same as {place + 1}</StateText>}
      {audio.silent ? <StateText state="eyes">silence</StateText> : <Levels audio={audio} />}
    </span>
  );
}

/** Tracks that are in the reel: taken off, or put back in the disc's own order. */
function toggled(reel: Reel, title: Title, kind: 'audio' | 'subtitles', stream: number, on: boolean): Reel {
  const keep = new Set([...reel[kind].map((t) => t.stream).filter((s) => s !== stream), ...(on ? [stream] : [])]);
  if (kind === 'audio') {
    const taken = title.audio
      .filter((t) => keep.has(t.stream))
      .map((t) => reel.audio.find((a) => a.stream === t.stream) ?? takeAudio(t, false));
    return { ...reel, audio: taken.map((t, i) => ({ ...t, isDefault: i === 0 })) };
  }
  return {
    ...reel,
    subtitles: title.subtitles
      .filter((t) => keep.has(t.stream))
      .map((t) => reel.subtitles.find((s) => s.stream === t.stream) ?? takeSubtitle(t)),
  };
}

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

/** Chapters whose pictures are fetched; a title with more shows them without. */
const MOST_CHAPTER_PICTURES = 60;

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
  // A little into the chapter: its very first picture is often black.
  const momentOf = (startMs: number, durationMs: number) => Math.round(startMs + Math.min(1500, durationMs / 3));
  const moments = useMemo(
    () => title.chapters.slice(0, MOST_CHAPTER_PICTURES).map((c) => momentOf(c.startMs, c.durationMs)),
    [title.chapters],
  );
  usePictures(pictures, moments);
  return (
    <ol className="mt-1 flex flex-col gap-y-0.5">
      {title.chapters.map((chapter, i) => {
        const place = within ? within.indexOf(chapter.number) : -1;
        const inside = within === null || place >= 0;
        const ms = momentOf(chapter.startMs, chapter.durationMs);
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

/** All that is known of a title, and what the reel takes of it. */
/** Where a cut differs from the main title, and with which chapters the works in a long title seem to begin. */
function Differences({ finding }: { finding: TitleFinding }) {
  const main = finding.evidence.find((e) => e.kind === 'shares')?.titles[0];
  if (finding.divisions.length > 0)
    return <p className="pt-1 text-second">Works of like length begin with chapters {numbers(finding.divisions)}.</p>;
  if (finding.differences.length === 0 || main === undefined) return null;
  return (
    <table className="mt-1.5 w-full text-[12.5px]">
      <thead>
        <tr className="text-left text-second">
          <th className="font-normal">at</th>
          <th className="font-normal">only here</th>
          <th className="font-normal">only in title {main}</th>
        </tr>
      </thead>
      <tbody>
        {finding.differences.slice(0, MOST_DIFFERENCES).map((d) => (
          <tr key={`${d.atMs}-${d.otherAtMs}`}>
            <td>{clock(d.atMs)}</td>
            <td>{d.ms > 0 ? clock(d.ms) : '–'}</td>
            <td>{d.otherMs > 0 ? `${clock(d.otherMs)} at ${clock(d.otherAtMs)}` : '–'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function Dossier({ disc, title, draft, source, rules, decision, moment, onLook, onTake, onChange }: Props) {
  const setMoment = (ms: number | null) => {
    onLook(title.number, ms);
  };
  const finding = disc.findings.titles.find((f) => f.title === title.number);
  const reel = draft?.reel ?? null;
  const locked = draft?.jobId !== null && draft !== null;
  const remarks = disc.reading.remarks.filter((r) => r.title === title.number);
  const damage = damagedTimes(title, disc.reading);
  const usable = title.state === 'usable' || title.state === 'damaged';
  return (
    <Panel
      label={`Title ${title.number}`}
      title={`Title ${title.number}, ${finding ? roleOf(finding) : ''}`}
      aside={
        usable && !reel ? (
          <Button tone="plain" onClick={onTake}>
            Take it <Key>T</Key>
          </Button>
        ) : (
          <span className="text-second">{usable ? 'in a reel' : ''}</span>
        )
      }
    >
      <div className="min-h-0 flex-1 divide-y divide-faint overflow-y-auto">
        {usable && (
          <Viewer
            key={`pictures ${title.number}`}
            disc={disc}
            title={title}
            angle={reel?.pieces.find((p) => p.title === title.number)?.angle ?? 1}
            source={source}
            moment={moment}
            onMoment={setMoment}
          />
        )}
        {finding && (
          <div className="px-3.5 py-2">
            {decision && !decision.taken && !reel && usable && (
              <p className="pb-1 text-second">Left by the house rules: {GROUND[decision.ground]}.</p>
            )}
            <p className="text-second">
              {finding.role === 'unusable' ? '' : `${Math.floor(finding.confidence * 100)} % sure: `}
              {finding.evidence.slice(0, 4).map((e, i) => (
                <span key={e.kind}>
                  {i > 0 && ', '}
                  <span className={i < 2 ? 'font-semibold text-ink' : ''}>{evidenceText(e)}</span>
                </span>
              ))}
              .
            </p>
            <Differences finding={finding} />
            {damage.map((d) => (
              <p key={d.fromMs} className="pt-1">
                <StateText state="damaged">
                  {clock(d.fromMs)} to {clock(d.toMs)}: {d.cause === 'missing' ? 'not in this source' : 'can not be read'}
                </StateText>
              </p>
            ))}
            {remarks.map((r) => (
              <p key={r.code + r.detail} className="pt-1">
                <StateText state={r.severity === 'fault' ? 'damaged' : 'eyes'}>{remarkText(r)}</StateText>
              </p>
            ))}
          </div>
        )}
        <div className="grid grid-cols-[64px_minmax(0,1fr)] gap-x-2 px-3.5 py-2">
          <span className="text-second">picture</span>
          <span>{videoText(title)}</span>
          <span className="text-second">length</span>
          <span>
            {clock(title.durationMs)}, {bytes(title.sizeBytes)}, {plural(title.chapters.length, 'chapter')}
            {title.angles > 1 ? `, ${plural(title.angles, 'angle')}` : ''}
          </span>
          <PictureMeasure title={title} />
          {title.levels && (
            <>
              <span className="text-second">shown</span>
              <span>{title.levels.length > 0 ? `at parental levels ${numbers(title.levels)}` : 'at no parental level'}</span>
            </>
          )}
        </div>
        {usable && <MeasureControls key={`measures ${title.number}`} disc={disc} title={title} source={source} />}
        <Section name="Audio">
          {title.audio.length === 0 && <p className="text-second">No audio track.</p>}
          {title.audio.map((t) => (
            <TrackRow
              key={t.stream}
              name={['Audio: ' + languageName(t.language), audioText(t), purposeText(t)].filter(Boolean).join(', ')}
              checked={reel?.audio.some((a) => a.stream === t.stream) ?? false}
              disabled={!reel || locked || t.codec === 'unknown'}
              onChange={(on) => {
                if (reel) onChange(toggled(reel, title, 'audio', t.stream, on));
              }}
              language={languageName(t.language)}
              what={audioText(t)}
              aside={
                <>
                  {measuredAside(title, t.stream)}
                  {groundAside(disc, decision, 'audio', t.stream, reel, rules)}
                  {purposeText(t)}
                </>
              }
            />
          ))}
        </Section>
        <Section name="Subtitles">
          {title.subtitles.length === 0 && <p className="text-second">No subtitle track.</p>}
          {title.subtitles.map((t) => (
            <TrackRow
              key={t.stream}
              name={`Subtitles: ${languageName(t.language)}`}
              checked={reel?.subtitles.some((s) => s.stream === t.stream) ?? false}
              disabled={!reel || locked}
              onChange={(on) => {
                if (reel) onChange(toggled(reel, title, 'subtitles', t.stream, on));
              }}
              language={languageName(t.language)}
              what={t.codec === 'VobSub' || t.codec === 'PGS' || t.codec === 'DVB' ? 'pictures, as on the disc' : 'text'}
              aside={
                <>
                  {groundAside(disc, decision, 'subtitles', t.stream, reel, rules)}
                  {purposeText(t)}
                </>
              }
            />
          ))}
        </Section>
        <Section name="Chapters">
          {reel && <ChapterRange title={title} reel={reel} onChange={onChange} disabled={locked} />}
          <Chapters
            title={title}
            reel={reel}
            onChange={onChange}
            disabled={locked}
            pictures={usable && source ? { source: source.ref, reading: disc.reading, title: title.number, angle: 1, width: 128 } : null}
            onLook={setMoment}
          />
        </Section>
      </div>
    </Panel>
  );
}
