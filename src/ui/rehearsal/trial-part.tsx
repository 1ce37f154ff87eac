'use client';

import { useState } from 'react';
import { EFFORTS, QUALITY, SOUND_ONLY, type Effort, type Recipe, type RecipeId, type TrialResult } from '@/core/recipes';
import { MOST_TRIED } from '@/contract';
import { tryRecipes } from '@/store/looks';
import { useRecipes, withSettings } from '@/store/recipes';
import type { ReadableSource } from '@/store/sources';
import { rememberTrial, trialOf, useTrials } from '@/store/trials';
import { bytes, timeLeft } from '../format';
import { Bar, Button } from '../parts/controls';
import { TextField } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { Switch } from '../parts/switch';
import { useWork } from '../parts/use-work';
import type { Rehearsed } from './rehearsed';
import { TrialChart } from './trial-chart';

interface Tried {
  readonly recipe: Recipe;
  readonly name: string;
  readonly quality: number | null;
  readonly effort: Effort | null;
  readonly result: TrialResult;
}
type Variant = Omit<Tried, 'result'>;

const USUAL_SSIM = 0.98;
const STEPS = [-6, -3, 0, 3, 6];

/** Qualities around the recipe's own, within its encoder's scale. */
function qualitiesOf({ video }: Recipe): number[] {
  if (video.codec === 'as it is' || video.codec === 'FFV1') return [];
  const { usual, best, least } = QUALITY[video.codec];
  const wide = video.codec === 'AV1' || video.codec === 'VP9' ? 2 : 1;
  return [...new Set(STEPS.map((s) => Math.max(best, Math.min(least, (video.quality ?? usual) + s * wide))))].sort((a, b) => a - b);
}

/** Encoders that know efforts. */
const effortsOf = ({ video }: Recipe): readonly Effort[] =>
  video.codec === 'as it is' || video.codec === 'FFV1' || video.codec.startsWith('MPEG') ? [] : EFFORTS;

const encodes = ({ video, container }: Recipe): boolean => video.codec !== 'as it is' && !SOUND_ONLY.has(container);

/** One outcome in numbers. */
function Row({ tried, durationMs, onUse, found }: { tried: Tried; durationMs: number; onUse: (() => void) | null; found: boolean }) {
  const { result, name } = tried;
  const seconds = durationMs / 1000 / Math.max(0.01, result.pace);
  const off = Math.max(result.pictureBytes - result.leastBytes, result.mostBytes - result.pictureBytes);
  const cell = 'px-2 py-1 text-right whitespace-nowrap';
  return (
    <tr className={`border-t border-faint ${found ? 'bg-wash' : ''}`}>
      <th scope="row" className="max-w-[190px] truncate py-1 pr-2 text-left font-normal" title={name}>
        {name}
        {found && <span className="text-kept"> ✓</span>}
      </th>
      <td className={cell}>
        {bytes(result.pictureBytes)} <span className="text-third">± {bytes(off)}</span>
      </td>
      <td className={cell}>{result.ssim.toFixed(4)}</td>
      <td className={cell}>{result.worstSsim.toFixed(4)}</td>
      <td className={cell}>{result.psnrDb.toFixed(1)} dB</td>
      <td className={cell}>{timeLeft(seconds)}</td>
      <td className="py-1 pl-2 text-right">
        {onUse && (
          <Button tone="quiet" className="px-1.5 py-0" aria-label={`Use ${name}`} onClick={onUse}>
            Use it
          </Button>
        )}
      </td>
    </tr>
  );
}

function Outcomes({
  tried,
  found,
  durationMs,
  use,
}: {
  tried: readonly Tried[];
  found: number | null;
  durationMs: number;
  use: ((t: Tried) => void) | null;
}) {
  const head = 'px-2 pb-1 text-right font-normal text-second';
  return (
    <table className="w-full" aria-label="Outcomes of the trial">
      <thead>
        <tr>
          <th className="pr-2 pb-1 text-left font-normal text-second">tried</th>
          <th className={head}>picture of the whole</th>
          <th className={head}>SSIM</th>
          <th className={head}>worst picture</th>
          <th className={head}>PSNR</th>
          <th className={head}>takes</th>
          <th>
            <span className="sr-only">use</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {tried.map((t) => (
          <Row
            key={t.name}
            tried={t}
            durationMs={durationMs}
            found={t.quality !== null && t.quality === found}
            onUse={
              use &&
              (() => {
                use(t);
              })
            }
          />
        ))}
      </tbody>
    </table>
  );
}

/** Recipes, or qualities or efforts of one, tried on samples of the reel: sizes, nearness, pace. */
export function TrialPart({
  on,
  source,
  recipe,
  onTake,
  onRecipe,
}: {
  on: Rehearsed;
  source: ReadableSource;
  recipe: Recipe;
  onTake: ((id: RecipeId) => void) | null;
  onRecipe: (id: RecipeId) => void;
}) {
  const recipes = useRecipes();
  const work = useWork();
  const [what, setWhat] = useState<'qualities' | 'efforts' | 'recipes'>('qualities');
  const [now, setTried] = useState<readonly Tried[] | null>(null);
  const trials = useTrials(on.disc.fingerprint);
  const [leastSsim, setLeast] = useState(USUAL_SSIM);
  const [found, setFound] = useState<{ readonly quality: number | null; readonly wanted: number } | null>(null);
  const qualities = qualitiesOf(recipe);
  const others = recipes.all.filter(encodes).slice(0, MOST_TRIED);
  const { progress, problem } = work;
  const { range } = on.reel.pieces[0] ?? {};
  const triedMs = range ? range.toMs - range.fromMs : on.title.durationMs;
  const at = (quality: number): Variant => ({
    ...{ recipe: { ...recipe, video: { ...recipe.video, quality, rate: null } }, name: `quality ${quality}` },
    ...{ quality, effort: null },
  });
  const variantsOf = (): readonly Variant[] => {
    if (what === 'qualities') return qualities.map(at);
    if (what === 'recipes') return others.map((r) => ({ recipe: r, name: r.name, quality: null, effort: null }));
    return effortsOf(recipe).map((effort) => ({
      ...{ recipe: { ...recipe, video: { ...recipe.video, effort } }, name: `${effort} effort` },
      ...{ quality: null, effort },
    }));
  };

  const run = (variants: readonly Variant[], wanted: number | null) => {
    setTried([]);
    setFound(null);
    const wish = { source: source.ref, reading: on.disc.reading, title: on.title.number };
    work.start((hear, signal) =>
      tryRecipes(
        wish,
        { reel: on.reel, recipes: variants.map((v) => v.recipe), leastSsim: wanted },
        (line) => {
          if (line.type === 'tried') {
            const variant = variants[line.index];
            if (!variant) return;
            const next = line.quality === null ? variant : at(line.quality);
            // Of all of the title, or of what the reel takes of it.
            void rememberTrial(on.disc.fingerprint, on.title.number, next.recipe, triedMs, line.result);
            setTried((before) =>
              [...(before ?? []), { ...next, result: line.result }].sort((a, b) => b.result.pictureBytes - a.result.pictureBytes),
            );
          } else if (line.type === 'found') setFound({ quality: line.quality, wanted: wanted ?? 0 });
          else hear(line);
        },
        signal,
      ),
    );
  };
  const start = () => {
    run(variantsOf(), null);
  };
  const use = (t: Tried) => {
    const take = async () => {
      const changed = t.quality === null ? t.effort && { effort: t.effort } : { quality: t.quality, rate: null };
      const id = changed ? await withSettings(recipe, changed, t.name) : t.recipe.id;
      onTake?.(id);
      onRecipe(id);
    };
    void take();
  };
  // What was tried before is there at once: the same title with the same settings comes out the same.
  const before = variantsOf().flatMap((variant) => {
    const found = trialOf(trials, on.title.number, variant.recipe);
    return found ? [{ ...variant, result: found.result }] : [];
  });
  const tried = now ?? before.sort((a, b) => b.result.pictureBytes - a.result.pictureBytes);
  const points = tried.map(({ name, result }) => ({
    name,
    bytes: result.pictureBytes,
    off: [result.pictureBytes - result.leastBytes, result.mostBytes - result.pictureBytes] as const,
    ssim: result.ssim,
    worst: result.worstSsim,
  }));
  if (what !== 'recipes' && !encodes(recipe))
    return <p className="text-second">This recipe encodes no picture: there is nothing to try.</p>;
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <Switch
          label="What is tried"
          value={what}
          options={[
            { value: 'qualities', name: 'qualities of this recipe' },
            { value: 'efforts', name: 'efforts' },
            { value: 'recipes', name: 'recipes beside each other' },
          ]}
          onChange={(next) => {
            setWhat(next);
            setTried(null);
            setFound(null);
          }}
        />
        {progress ? (
          <>
            <span className="w-40">
              <Bar value={progress.total > 0 ? progress.done / progress.total : null} label="Trial" />
            </span>
            <Button className="px-2 py-0.5" onClick={work.stop}>
              Stop
            </Button>
          </>
        ) : (
          <>
            <Button tone="main" className="px-2 py-0.5" disabled={variantsOf().length === 0} onClick={start}>
              Try
            </Button>
            {what === 'qualities' && qualities.length > 0 && (
              <span className="flex items-center gap-1.5 text-second">
                or find the smallest with an SSIM of at least
                <TextField
                  label="SSIM that is wanted"
                  type="number"
                  min={0.8}
                  max={0.999}
                  step={0.005}
                  className="w-20"
                  value={leastSsim}
                  onChange={(e) => {
                    setLeast(Number(e.target.value));
                  }}
                />
                <Button
                  className="px-2 py-0.5"
                  disabled={!(leastSsim >= 0.5 && leastSsim < 1)}
                  onClick={() => {
                    run([{ recipe, name: recipe.name, quality: null, effort: null }], leastSsim);
                  }}
                >
                  Find it
                </Button>
              </span>
            )}
          </>
        )}
      </div>
      {found && (
        <p role="status">
          {found.quality === null
            ? `Not even the best quality keeps an SSIM of ${found.wanted}.`
            : `Quality ${found.quality} is the smallest that keeps an SSIM of ${found.wanted} on these samples.`}
        </p>
      )}
      {problem && <ProblemNote problem={problem} onClose={work.clear} />}
      {tried.length > 0 ? (
        <>
          <TrialChart points={points} wanted={found?.wanted ?? null} />
          <Outcomes tried={tried} found={found?.quality ?? null} durationMs={on.title.durationMs} use={use} />
          <p className="text-[12px] text-third">
            By up to five samples of two seconds: the darkest, the stillest and the busiest of twelve stretches, and others. SSIM of 1 is
            the same picture; 0.98 is hard to tell from it, 0.95 is seen. Compared with the picture after all treatments: what is lost is
            what encoding loses.
          </p>
        </>
      ) : (
        !progress && (
          <p className="text-second">
            Samples of this title are encoded here and compared with it, picture by picture: so sizes are this film’s own, not what films
            usually take.
          </p>
        )
      )}
    </div>
  );
}
