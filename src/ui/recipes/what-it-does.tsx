'use client';

import { useMemo, useState } from 'react';
import { copyBytes, planEncode, shapeOfPlan, workingHardware, type EncodePlan, type Reason, type Recipe } from '@/core/recipes';
import { encodeFacts, estimateReel, wholeTitleReel } from '@/core/reels';
import type { VaultEntry } from '@/contract';
import type { DiscRecord } from '@/store/db';
import { useEngine } from '@/store/engine';
import { sizeFactors } from '@/store/history';
import { useRecentDiscs } from '@/store/live';
import { useOutputs } from '@/store/outputs';
import { quietSource, readableSources } from '@/store/sources';
import { bytes, clock } from '../format';
import { Button, Empty, Mark, Panel } from '../parts/controls';
import { Select } from '../parts/fields';
import { PlaysOn } from '../parts/plays-on';
import { RehearsalDialog } from '../rehearsal/rehearsal-dialog';
import { reasonText } from '../words-recipes';

const MOST_DISCS = 200;
const NONE: readonly VaultEntry[] = [];
const PARTS: readonly { readonly about: Reason['about']; readonly name: string }[] = [
  { about: 'video', name: 'Picture' },
  { about: 'picture', name: 'Treatment' },
  { about: 'audio', name: 'Sound' },
  { about: 'subtitles', name: 'Subtitles' },
];

/** "1024 × 576, 25 pictures a second" of the copy. */
const shapeText = ({ video }: EncodePlan): string =>
  `${video.widthPixels} × ${video.heightPixels}, shape ${video.displayAspect.toFixed(2)} : 1, ${Number(video.picturesPerSecond.toFixed(3))} pictures a second`;

function Consequence({
  recipe,
  disc,
  number,
  outputs,
}: {
  recipe: Recipe;
  disc: DiscRecord;
  number: number;
  outputs: readonly VaultEntry[];
}) {
  const { state } = useEngine();
  const title = disc.reading.titles.find((t) => t.number === number);
  if (!title) return null;
  const reel = { ...wholeTitleReel(title, ''), recipes: ['master'] };
  const known = encodeFacts(disc.reading, reel);
  if (!known) return null;
  const facts = { ...known, hardware: workingHardware(state?.encoders ?? []) };
  const plan = planEncode(recipe, facts);
  const { durationMs, masterBytes } = estimateReel(disc.reading, reel);
  const factor = sizeFactors(outputs).get(recipe.id);
  const size = Math.round(copyBytes(plan, facts, durationMs, masterBytes) * (factor ?? 1));
  return (
    <div className="flex flex-col gap-3">
      <dl className="grid grid-cols-[92px_minmax(0,1fr)] gap-x-2">
        <dt className="text-second">becomes</dt>
        <dd>{plan.soundOnly ? 'sound alone' : shapeText(plan)}</dd>
        <dt className="text-second">about</dt>
        <dd>
          {bytes(size)} for {clock(durationMs)}, {Math.max(1, Math.round((100 * size) / Math.max(1, masterBytes)))} % of the master
          <span className="block text-[12px] text-third">
            {factor === undefined
              ? 'by what encoders usually give; a trial asks the picture itself'
              : 'by what copies of this recipe took here; a trial asks the picture itself'}
          </span>
        </dd>
      </dl>
      {PARTS.map(({ about, name }) => {
        const reasons = plan.reasons.filter((r) => r.about === about);
        if (reasons.length === 0) return null;
        return (
          <section key={about}>
            <h3 className="smallcaps pb-1">{name}</h3>
            <ul className="flex flex-col gap-0.5">
              {reasons.map((r, i) => (
                <li key={i} className="grid grid-cols-[16px_minmax(0,1fr)] gap-x-1">
                  <span>{r.weight === 'eyes' && <Mark state="eyes" />}</span>
                  <span>
                    {r.track !== null && <span className="text-second">track {r.track + 1}: </span>}
                    {reasonText(r)}
                  </span>
                </li>
              ))}
            </ul>
          </section>
        );
      })}
      {!plan.soundOnly && <PlaysOn shape={shapeOfPlan(plan, facts, size)} />}
    </div>
  );
}

/** What the recipe does to a title of the collection, setting by setting, with the reason. */
export function WhatItDoes({ recipe }: { recipe: Recipe | null }) {
  const discs = useRecentDiscs(MOST_DISCS);
  const [fingerprint, chooseDisc] = useState<string | null>(null);
  const [number, chooseTitle] = useState<number | null>(null);
  const [rehearsing, rehearse] = useState(false);
  const { state: engine } = useEngine();
  const outputs = useOutputs() ?? NONE;
  const disc = discs?.find((d) => d.fingerprint === fingerprint) ?? discs?.[0] ?? null;
  const title = disc?.reading.titles.find((t) => t.number === (number ?? disc.findings.mainTitle)) ?? disc?.reading.titles[0] ?? null;
  const reel = useMemo(() => title && wholeTitleReel(title, ''), [title]);
  return (
    <Panel label="What it does" title="What it does to">
      {!disc || !title ? (
        <Empty title="No disc has been read yet">Read one on the Shelf: here is then seen what a recipe makes of it.</Empty>
      ) : (
        <div className="flex min-h-0 flex-1 flex-col">
          <div className="flex gap-2 border-b border-faint px-4 py-2">
            <Select
              label="Disc"
              className="min-w-0 flex-1"
              value={disc.fingerprint}
              options={(discs ?? []).map((d) => ({ value: d.fingerprint, name: d.name }))}
              onChange={(next) => {
                chooseDisc(next);
                chooseTitle(null);
              }}
            />
            <Select
              label="Title"
              value={`${title.number}`}
              options={disc.reading.titles.map((t) => ({ value: `${t.number}`, name: `title ${t.number}, ${clock(t.durationMs)}` }))}
              onChange={(next) => {
                chooseTitle(Number(next));
              }}
            />
            {recipe && (
              <Button
                className="px-2 py-0.5"
                onClick={() => {
                  rehearse(true);
                }}
              >
                Rehearse
              </Button>
            )}
          </div>
          <div role="group" aria-label="Consequences" tabIndex={0} className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
            {recipe ? (
              <Consequence recipe={recipe} disc={disc} number={title.number} outputs={outputs} />
            ) : (
              <p className="text-second">Everything stays as it is on the disc.</p>
            )}
          </div>
          {rehearsing && recipe && (
            <RehearsalDialog
              on={{
                disc,
                title,
                reel: reel ?? wholeTitleReel(title, ''),
                source: quietSource(readableSources(disc, engine), engine),
              }}
              first={recipe.id}
              startMs={title.durationMs / 3}
              onTake={null}
              onBars={null}
              onClose={() => {
                rehearse(false);
              }}
            />
          )}
        </div>
      )}
    </Panel>
  );
}
