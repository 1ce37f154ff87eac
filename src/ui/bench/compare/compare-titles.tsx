'use client';

import { useMemo, useState } from 'react';
import { compareTitles, type Difference } from '@/core/findings';
import type { Title } from '@/core/reading';
import type { DiscRecord } from '@/store/db';
import type { PictureWish } from '@/store/looks';
import { bytes, clock, languageName, plural } from '../../format';
import { Empty } from '../../parts/controls';
import { Select } from '../../parts/fields';
import { audioText, roleOf } from '../../words';
import type { ReadableSource } from '@/store/sources';
import { Picture, usePictures } from '../title/pictures';

/** Differences whose pictures are fetched. */
const MOST_PICTURED = 12;

interface Run {
  readonly kind: 'same' | 'only left' | 'only right' | 'other';
  readonly leftMs: number;
  readonly rightMs: number;
  readonly ms: number;
  readonly otherMs: number;
}

/** The whole of two titles as runs: shared, and what stands on either side only. */
function runsOf(left: Title, differences: readonly { atMs: number; ms: number; otherAtMs: number; otherMs: number }[]): Run[] {
  const runs: Run[] = [];
  let [l, r] = [0, 0];
  const same = (toLeft: number) => {
    if (toLeft > l + 1) runs.push({ kind: 'same', leftMs: l, rightMs: r, ms: toLeft - l, otherMs: toLeft - l });
  };
  for (const d of differences) {
    same(d.atMs);
    runs.push({
      kind: d.otherMs === 0 ? 'only left' : d.ms === 0 ? 'only right' : 'other',
      leftMs: d.atMs,
      rightMs: d.otherAtMs,
      ms: d.ms,
      otherMs: d.otherMs,
    });
    [l, r] = [d.atMs + d.ms, d.otherAtMs + d.otherMs];
  }
  same(left.durationMs);
  return runs;
}

const LOOK: Readonly<Record<Run['kind'], string>> = {
  same: 'bg-hue-1',
  'only left': 'bg-hue-2',
  'only right': 'bg-hue-5',
  other: 'hatch text-second',
};

function Side({ runs, side, totalMs }: { runs: readonly Run[]; side: 'left' | 'right'; totalMs: number }) {
  return (
    <div className="flex h-5 gap-px" aria-hidden>
      {runs.map((run) => {
        const ms = side === 'left' ? run.ms : run.otherMs;
        if (ms <= 0) return null;
        return (
          <div
            key={`${run.leftMs} ${run.rightMs}`}
            className={`rounded-[2px] ${LOOK[run.kind]}`}
            style={{ width: `${(100 * ms) / totalMs}%` }}
          />
        );
      })}
    </div>
  );
}

function Tracks({ title, name }: { title: Title; name: string }) {
  return (
    <div>
      <h3 className="font-semibold">{name}</h3>
      <p className="text-second">
        {clock(title.durationMs)}, {bytes(title.sizeBytes)}, {plural(title.chapters.length, 'chapter')}
      </p>
      <ul className="text-second">
        {title.audio.map((t) => (
          <li key={t.stream}>
            {languageName(t.language)}, {audioText(t)}
          </li>
        ))}
        <li>
          {title.subtitles.length === 0 ? 'no subtitles' : `subtitles: ${title.subtitles.map((t) => languageName(t.language)).join(', ')}`}
        </li>
      </ul>
    </div>
  );
}

const middle = (at: number, ms: number) => Math.round(at + ms / 2);

/** Every difference with its times, and pictures from both sides. */
function Differences({
  title,
  other,
  differences,
  wish,
}: {
  title: Title;
  other: Title;
  differences: readonly Difference[];
  wish: (title: number) => PictureWish | null;
}) {
  return (
    <table className="mb-3 w-full">
      <thead>
        <tr className="smallcaps text-left">
          <th scope="col" className="font-normal">
            at
          </th>
          <th scope="col" className="font-normal">
            in title {title.number}
          </th>
          <th scope="col" className="font-normal">
            in title {other.number}
          </th>
        </tr>
      </thead>
      <tbody>
        {differences.slice(0, 200).map((d, i) => (
          <tr key={`${d.atMs} ${d.otherAtMs}`} className="border-t border-faint align-top">
            <td className="w-24 py-1.5">{clock(d.atMs)}</td>
            {[
              { ms: d.ms, at: d.atMs, number: title.number },
              { ms: d.otherMs, at: d.otherAtMs, number: other.number },
            ].map(({ ms, at, number }) => {
              const w = wish(number);
              return (
                <td key={number} className="py-1.5 pr-3">
                  {ms > 0 ? (
                    <span className="flex gap-2">
                      {w && i < MOST_PICTURED && (
                        <Picture
                          wish={w}
                          ms={middle(at, ms)}
                          label={`Title ${number} at ${clock(middle(at, ms))}`}
                          className="h-[54px] w-[96px] rounded-[2px]"
                        />
                      )}
                      <span>
                        {clock(ms)} from {clock(at)}
                      </span>
                    </span>
                  ) : (
                    <span className="text-third">not there</span>
                  )}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Two titles side by side: what they share, and every difference with its times and pictures from both sides. */
export function CompareTitles({ disc, title, source }: { disc: DiscRecord; title: Title; source: ReadableSource | null }) {
  const others = disc.reading.titles.filter((t) => t.number !== title.number);
  const segments = useMemo(() => new Map(disc.reading.segments.map((s) => [s.id, s])), [disc.reading]);
  const own = useMemo(() => new Set(title.parts.map((p) => p.segment)), [title]);
  const nearest = useMemo(() => {
    const shared = (t: Title) => t.parts.filter((p) => own.has(p.segment)).length;
    return [...others].sort((a, b) => shared(b) - shared(a))[0]?.number ?? null;
  }, [others, own]);
  const [chosen, setChosen] = useState<number | null>(null);
  const other = others.find((t) => t.number === (chosen ?? nearest)) ?? null;
  const comparison = useMemo(() => (other ? compareTitles(title, other, segments) : null), [title, other, segments]);
  const runs = useMemo(() => (other && comparison ? runsOf(title, comparison.differences) : []), [title, other, comparison]);
  const wish = (number: number): PictureWish | null =>
    source ? { source: source.ref, reading: disc.reading, title: number, angle: 1, width: 192 } : null;
  const pictured = (comparison?.differences ?? []).slice(0, MOST_PICTURED);
  const left = usePictures(
    wish(title.number),
    pictured.filter((d) => d.ms > 0).map((d) => middle(d.atMs, d.ms)),
  );
  const right = usePictures(
    other ? wish(other.number) : null,
    pictured.filter((d) => d.otherMs > 0).map((d) => middle(d.otherAtMs, d.otherMs)),
  );
  const total = Math.max(title.durationMs, other?.durationMs ?? 0, 1);
  const roles = new Map(disc.findings.titles.map((f) => [f.title, roleOf(f)]));
  const lastSame = runs.at(-1);
  return (
    <>
      {!other || !comparison ? (
        <Empty title="There is no other title on this disc" />
      ) : (
        <div data-pictures={left.version + right.version}>
          <div className="flex items-center gap-2 pb-3">
            <span>compared with</span>
            <Select
              label="Compare with"
              value={String(other.number)}
              options={others.map((t) => ({
                value: String(t.number),
                name: `title ${t.number}, ${clock(t.durationMs)}, ${roles.get(t.number) ?? ''}`,
              }))}
              onChange={(v) => {
                setChosen(Number(v));
              }}
            />
            <span className="ml-auto text-second">
              {comparison.sharedMs > 0 ? `${clock(comparison.sharedMs)} are the same` : 'nothing is the same'}
              {lastSame?.kind === 'same' && comparison.differences.length > 0 ? `, all from ${clock(lastSame.leftMs)} on` : ''}
            </span>
          </div>
          <div className="grid grid-cols-[64px_minmax(0,1fr)] items-center gap-x-2 gap-y-1">
            <span>title {title.number}</span>
            <Side runs={runs} side="left" totalMs={total} />
            <span>title {other.number}</span>
            <Side runs={runs} side="right" totalMs={total} />
          </div>
          <p className="flex gap-4 py-2 text-[12px] text-second">
            <span>
              <span className="inline-block size-2.5 rounded-[2px] bg-hue-1" /> the same
            </span>
            <span>
              <span className="inline-block size-2.5 rounded-[2px] bg-hue-2" /> only in title {title.number}
            </span>
            <span>
              <span className="inline-block size-2.5 rounded-[2px] bg-hue-5" /> only in title {other.number}
            </span>
            <span>
              <span className="hatch inline-block size-2.5 rounded-[2px] border border-line" /> other material
            </span>
          </p>
          {comparison.differences.length === 0 ? (
            <p className="pb-3">They show the same material in the same order.</p>
          ) : (
            <Differences title={title} other={other} differences={comparison.differences} wish={wish} />
          )}
          <div className="grid grid-cols-2 gap-4 border-t border-faint pt-2">
            <Tracks title={title} name={`Title ${title.number}`} />
            <Tracks title={other} name={`Title ${other.number}`} />
          </div>
        </div>
      )}
    </>
  );
}
