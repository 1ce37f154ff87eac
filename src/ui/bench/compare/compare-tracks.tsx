'use client';

import { useState } from 'react';
import type { SoundComparison, SoundRelation, SubtitleComparison, TrackComparison } from '@/core/findings';
import type { Title } from '@/core/reading';
import type { DiscRecord } from '@/store/db';
import { compareTracks, type PictureWish } from '@/store/looks';
import type { ReadableSource } from '@/store/sources';
import { clock, languageName, list, plural } from '../../format';
import { Bar, Button, Empty } from '../../parts/controls';
import { Select } from '../../parts/fields';
import { ProblemNote } from '../../parts/problem-note';
import { useWork } from '../../parts/use-work';
import { audioText, purposeText } from '../../words';
import { Picture, usePictures } from '../title/pictures';

const MOST_PICTURED = 12;
const MOST_SHOWN = 200;
const FLOOR_DB = -60;

const LOOK: Readonly<Record<SoundRelation, string>> = {
  same: 'bg-hue-1',
  alike: 'bg-hue-4',
  other: 'hatch text-second',
  silent: 'bg-faint',
  'only left': 'bg-hue-2',
  'only right': 'bg-hue-5',
};
const SOUND: Readonly<Record<SoundRelation, string>> = {
  same: 'the same sound',
  alike: 'alike: the same music or effects under something else',
  other: 'other sound',
  silent: 'silence in both',
  'only left': 'silence in the second only',
  'only right': 'silence in the first only',
};

/** Levels of a track along the title, standing on the band below it. */
function Curve({ levels, name }: { levels: readonly number[]; name: string }) {
  const step = 1000 / Math.max(1, levels.length);
  return (
    <svg viewBox="0 0 1000 24" preserveAspectRatio="none" className="h-6 w-full text-second" role="img" aria-label={`Level of the ${name}`}>
      {levels.map((db, i) => {
        const height = Math.max(0.5, 24 * (1 - Math.min(1, db / FLOOR_DB)));
        return <rect key={i} x={i * step} y={24 - height} width={Math.max(0.6, step * 0.8)} height={height} fill="currentColor" />;
      })}
    </svg>
  );
}

function soundSentence({ identical, runs }: SoundComparison): string {
  if (identical) return 'The two tracks are the same, byte for byte.';
  const total = Math.max(1, runs.at(-1)?.toMs ?? 0);
  const share = (kind: SoundRelation) =>
    Math.round((100 * runs.filter((r) => r.kind === kind).reduce((sum, r) => sum + r.toMs - r.fromMs, 0)) / total);
  const last = runs.at(-1);
  if (share('same') + share('alike') === 0) return 'They have no sound in common.';
  const said = [
    ...(share('same') > 0 ? [`the same for ${share('same')} % of the time`] : []),
    ...(share('alike') > 0 ? [`alike for ${share('alike')} %`] : []),
    ...(share('other') > 0 ? [`different for ${share('other')} %`] : []),
  ];
  const rest = last?.kind === 'same' && runs.length > 1 ? `; all the same from ${clock(last.fromMs)} on` : '';
  return `They sound ${list(said)}${rest}.`;
}

function Moment({ wish, ms, shown }: { wish: PictureWish | null; ms: number; shown: boolean }) {
  if (!wish || !shown) return null;
  return <Picture wish={wish} ms={ms} label={`The film at ${clock(ms)}`} className="h-[54px] w-[96px] rounded-[2px]" />;
}

function Sound({ found, wish }: { found: SoundComparison; wish: PictureWish | null }) {
  const total = Math.max(1, found.runs.at(-1)?.toMs ?? 0);
  const differing = found.runs.filter((r) => r.kind !== 'same' && r.kind !== 'silent');
  const middle = (r: { fromMs: number; toMs: number }) => Math.round((r.fromMs + r.toMs) / 2);
  const { version } = usePictures(wish, differing.slice(0, MOST_PICTURED).map(middle));
  const present = [...new Set(found.runs.map((r) => r.kind))];
  return (
    <div data-pictures={version}>
      <p className="pb-2">{soundSentence(found)}</p>
      <div className="grid grid-cols-[64px_minmax(0,1fr)] items-end gap-x-2">
        <span className="text-second">first</span>
        <Curve levels={found.leftDb} name="first track" />
        <span />
        <div className="flex h-4 gap-px py-0.5" aria-hidden>
          {found.runs.map((run) => (
            <div
              key={run.fromMs}
              title={`${clock(run.fromMs)} to ${clock(run.toMs)}: ${SOUND[run.kind]}`}
              className={`rounded-[2px] ${LOOK[run.kind]}`}
              style={{ width: `${(100 * (run.toMs - run.fromMs)) / total}%` }}
            />
          ))}
        </div>
        <span className="text-second">second</span>
        <Curve levels={found.rightDb} name="second track" />
      </div>
      <p className="flex flex-wrap gap-x-4 py-2 text-[12px] text-second">
        {present.map((kind) => (
          <span key={kind}>
            <span className={`inline-block size-2.5 rounded-[2px] border border-line ${LOOK[kind]}`} /> {SOUND[kind]}
          </span>
        ))}
      </p>
      {differing.length > 0 && (
        <ul>
          {differing.slice(0, MOST_SHOWN).map((run, i) => (
            <li key={run.fromMs} className="flex items-start gap-3 border-t border-faint py-1.5">
              <span className="w-40">
                {clock(run.fromMs)} to {clock(run.toMs)}
              </span>
              <Moment wish={wish} ms={middle(run)} shown={i < MOST_PICTURED} />
              <span>{SOUND[run.kind]}</span>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

const EVENT = {
  'only left': 'only in the first',
  'only right': 'only in the second',
  'other content': 'another content',
  'other time': 'the same, at another time',
} as const;

function Subtitles({ found, wish }: { found: SubtitleComparison; wish: PictureWish | null }) {
  // Where every line is in another language, that they differ is no news: what has no fellow is.
  const translated = found.sameTime > 10 && found.same < found.sameTime / 10;
  const listed = translated ? found.differences.filter((d) => d.kind !== 'other content') : found.differences;
  const at = (d: (typeof listed)[number]) => Math.round((d.leftMs ?? d.rightMs ?? 0) + 200);
  const { version } = usePictures(wish, listed.slice(0, MOST_PICTURED).map(at));
  return (
    <div data-pictures={version}>
      <p className="pb-2">
        {plural(found.left, 'subtitle')} in the first, {found.right} in the second: {found.sameTime} at the same time
        {found.same > 0 ? `, ${found.same} of them the same` : ''}
        {translated ? '. Nearly all have another content, as in two languages: only what stands alone is listed.' : '.'}
      </p>
      {listed.length === 0 && <p className="text-second">None stands alone.</p>}
      <ul>
        {listed.slice(0, MOST_SHOWN).map((d) => (
          <li key={`${d.leftMs} ${d.rightMs}`} className="flex items-start gap-3 border-t border-faint py-1.5">
            <span className="w-40">
              {d.leftMs === null ? '–' : clock(d.leftMs)} / {d.rightMs === null ? '–' : clock(d.rightMs)}
            </span>
            <Moment wish={wish} ms={at(d)} shown={listed.indexOf(d) < MOST_PICTURED} />
            <span>
              {EVENT[d.kind]}
              {(d.left ?? d.right) !== null && (
                <span className="block text-second">
                  {d.left ?? '–'} / {d.right ?? '–'}
                </span>
              )}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Two audio or two subtitle tracks of a title beside each other, from one end to the other. */
export function CompareTracks({
  kind,
  disc,
  title,
  source,
}: {
  kind: 'audio' | 'subtitles';
  disc: DiscRecord;
  title: Title;
  source: ReadableSource | null;
}) {
  const options = title[kind].map((t, i) => ({
    value: String(t.stream),
    name: [`${i + 1}: ${languageName(t.language)}`, 'channels' in t ? audioText(t) : t.codec, purposeText(t)]
      .filter((w) => w !== '')
      .join(', '),
  }));
  const [left, setLeft] = useState(options[0]?.value ?? '');
  const [right, setRight] = useState(options[1]?.value ?? '');
  const work = useWork();
  const { progress, problem } = work;
  const [found, setFound] = useState<TrackComparison | null>(null);
  if (options.length < 2)
    return <Empty title={`The title has ${options.length === 0 ? 'no' : 'only one'} ${kind === 'audio' ? 'audio' : 'subtitle'} track`} />;
  const wish: PictureWish | null = source && { source: source.ref, reading: disc.reading, title: title.number, angle: 1, width: 192 };
  const start = () => {
    if (!source) return;
    setFound(null);
    const wanted = { source: source.ref, reading: disc.reading, title: title.number };
    work.start((hear, signal) =>
      compareTracks(
        wanted,
        { left: Number(left), right: Number(right) },
        (line) => {
          if (line.type === 'compared') setFound(line.comparison);
          else hear(line);
        },
        signal,
      ),
    );
  };
  const choose = (set: (value: string) => void) => (value: string) => {
    work.stop();
    setFound(null);
    set(value);
  };
  return (
    <div className="flex flex-col gap-3">
      <div className="flex items-center gap-2">
        <Select label="First track" value={left} options={options} onChange={choose(setLeft)} className="max-w-80 min-w-0" />
        <span className="text-second">and</span>
        <Select label="Second track" value={right} options={options} onChange={choose(setRight)} className="max-w-80 min-w-0" />
        {progress ? (
          <>
            <div className="w-40">
              <Bar value={progress.total > 0 ? progress.done / progress.total : null} label="Comparing" />
            </div>
            <Button onClick={work.stop}>Stop</Button>
          </>
        ) : (
          <Button tone="main" disabled={!source || left === right} onClick={start}>
            Compare them
          </Button>
        )}
      </div>
      {!found && !progress && !problem && (
        <p className="text-second">
          {source
            ? `Reads the whole of title ${title.number}, ${clock(title.durationMs)}, and ${kind === 'audio' ? 'listens to both tracks second by second' : 'lays the subtitles of both beside each other'}.`
            : 'The disc can not be read now: no source of it is there.'}
        </p>
      )}
      {problem && <ProblemNote problem={problem} onClose={work.clear} />}
      {found?.kind === 'audio' && <Sound found={found} wish={wish} />}
      {found?.kind === 'subtitles' && <Subtitles found={found} wish={wish} />}
    </div>
  );
}
