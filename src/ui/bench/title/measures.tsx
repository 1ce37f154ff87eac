'use client';

import type { MeasuredAudio, Title } from '@/core/reading';
import { catalogue } from '@/store/archive';
import type { DiscRecord } from '@/store/db';
import { keepMeasure } from '@/store/discs';
import { measure } from '@/store/looks';
import { clock, list, plural } from '../../format';
import { Bar, Button, StateText } from '../../parts/controls';
import { ProblemNote } from '../../parts/problem-note';
import { useWork } from '../../parts/use-work';
import type { ReadableSource } from '@/store/sources';

const FLOOR_DB = -60;

/** Levels along the title as small bars: where a track is silent is seen at a glance. */
export function Levels({ audio }: { audio: MeasuredAudio }) {
  const wide = 96;
  const step = wide / Math.max(1, audio.overTimeDb.length);
  const text = audio.silent ? 'silence only' : `mean ${audio.meanDb ?? '?'} dB, peak ${audio.peakDb ?? '?'} dB`;
  return (
    <svg viewBox={`0 0 ${wide} 12`} className="h-3 w-24 shrink-0 text-accent" role="img" aria-label={`Sound along the title: ${text}`}>
      <title>{text}</title>
      {audio.overTimeDb.map((db, i) => {
        const height = Math.max(0.6, 12 * (1 - Math.min(1, db / FLOOR_DB)));
        return <rect key={i} x={i * step} y={12 - height} width={Math.max(0.6, step - 0.4)} height={height} fill="currentColor" />;
      })}
    </svg>
  );
}

/** How the picture was found to be made. */
export function PictureMeasure({ title }: { title: Title }) {
  const picture = title.measured?.picture;
  if (!picture) return null;
  const { bars } = picture;
  const sides = (['top', 'bottom', 'left', 'right'] as const).filter((side) => bars[side] > 0).map((side) => `${bars[side]} ${side}`);
  const told = picture.combed + picture.whole;
  return (
    <>
      <span className="text-second">made</span>
      <span title={`${picture.combed} of ${told} frames combed, ${picture.repeated} with repeated fields`}>
        {picture.scan}
        <span className="text-second">
          , {told > 0 ? Math.round((100 * picture.combed) / told) : 0} % of {picture.frames} frames combed
        </span>
      </span>
      <span className="text-second">shape</span>
      <span>
        {picture.trueAspect.toFixed(2)}:1{sides.length > 0 ? `, black bars of ${list(sides)} lines or columns` : ', no black bars'}
      </span>
    </>
  );
}

/** Measuring on request: samples in seconds, everything as long as reading the title takes. */
export function MeasureControls({ disc, title, source }: { disc: DiscRecord; title: Title; source: ReadableSource | null }) {
  const work = useWork();
  const { progress, problem } = work;
  const start = (everything: boolean) => {
    if (!source) return;
    const wish = { source: source.ref, reading: disc.reading, title: title.number };
    work.start((hear, signal) =>
      measure(
        wish,
        everything,
        (line) => {
          if (line.type === 'measured') void keepMeasure(catalogue(), disc.fingerprint, title.number, line.measured);
          else hear(line);
        },
        signal,
      ),
    );
  };
  const measured = title.measured;
  const silent = measured?.audio.filter((a) => a.silent).length ?? 0;
  return (
    <div className="px-3.5 py-2">
      {progress ? (
        <div className="flex items-center gap-2">
          <div className="flex-1">
            <Bar value={progress.total > 0 ? progress.done / progress.total : null} label="Measuring" />
          </div>
          <Button className="px-2 py-0.5" onClick={work.stop}>
            Stop
          </Button>
        </div>
      ) : (
        <div className="flex items-center gap-2">
          <Button
            className="px-2 py-0.5"
            disabled={!source}
            onClick={() => {
              start(false);
            }}
          >
            {measured ? 'Measure again' : 'Measure sound and picture'}
          </Button>
          <Button
            tone="quiet"
            className="px-2 py-0.5"
            disabled={!source}
            title={`Reads all of the title: counts subtitles, finds forced ones and tracks that are the same`}
            onClick={() => {
              start(true);
            }}
          >
            Read all of it
          </Button>
        </div>
      )}
      {silent > 0 && (
        <p className="pt-1">
          <StateText state="eyes">{plural(silent, 'track')} with nothing but silence</StateText>
        </p>
      )}
      {measured?.subtitles.some((s) => s.forcedAtMs.length > 0) && (
        <p className="pt-1 text-second">
          Forced:{' '}
          {list(
            measured.subtitles
              .filter((s) => s.forcedAtMs.length > 0)
              .map((s) => `${s.forcedAtMs.length} of ${s.events}, first at ${clock(s.forcedAtMs[0] ?? 0)}`),
          )}
        </p>
      )}
      {problem && (
        <div className="pt-1.5">
          <ProblemNote problem={problem} onClose={work.clear} />
        </div>
      )}
    </div>
  );
}
