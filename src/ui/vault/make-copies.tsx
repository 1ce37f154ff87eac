'use client';

import Link from 'next/link';
import { useState } from 'react';
import type { Output } from '@/contract';
import type { RecipeId } from '@/core/recipes';
import { call } from '@/store/api';
import { useRecipes } from '@/store/recipes';
import { useRules } from '@/store/rules';
import { copyPlaces } from '@/core/reels';
import { plural } from '../format';
import { Button } from '../parts/controls';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { toast } from '../parts/toasts';
import { useAction } from '../parts/use-action';
import { recipeLine } from '../words-recipes';

/** Copies of a master by any number of recipes: its disc is not needed. */
export function MakeCopies({ output, onClose }: { output: Output; onClose: () => void }) {
  const recipes = useRecipes();
  const rules = useRules();
  const [chosen, setChosen] = useState<ReadonlySet<RecipeId>>(new Set());
  const action = useAction();
  const { sidecar } = output;
  const copies = recipes.all.filter((r) => chosen.has(r.id));
  const order = () =>
    action.run(async () => {
      const reel = { ...sidecar.reel, recipes: copies.map((c) => c.id) };
      const places = copyPlaces(sidecar.disc.label, reel, rules);
      await call('makeCopies', { id: output.id, body: { copies, places } });
      toast({ text: `${sidecar.reel.name}: ${plural(copies.length, 'copy', 'copies')} on the queue`, state: 'running' });
      onClose();
    });
  return (
    <Modal
      title={`Copies of ${sidecar.reel.name}`}
      onClose={onClose}
      footer={
        <>
          <Link href="/recipes" className="mr-auto self-center text-second underline">
            Recipes
          </Link>
          <Button tone="main" disabled={copies.length === 0} busy={action.busy} onClick={() => void order()}>
            {action.busy ? 'Looking at the master…' : copies.length === 0 ? 'Queue' : `Queue ${plural(copies.length, 'copy', 'copies')}`}
          </Button>
        </>
      }
    >
      <div className="flex flex-col gap-2">
        <p className="text-second">
          Made from the master, beside it; the disc is not needed. That it is still the master that was proven is shown by its digest before
          a copy gets its name.
        </p>
        {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
        <ul className="divide-y divide-faint rounded-[6px] border border-line">
          {recipes.all.map((r) => (
            <li key={r.id}>
              <label className="flex cursor-pointer items-baseline gap-2 px-3 py-1.5 hover:bg-wash/60">
                <input
                  type="checkbox"
                  aria-label={r.name}
                  className="accent-(--accent)"
                  checked={chosen.has(r.id)}
                  onChange={(e) => {
                    const next = new Set(chosen);
                    if (e.target.checked) next.add(r.id);
                    else next.delete(r.id);
                    setChosen(next);
                  }}
                />
                <span className="flex min-w-0 flex-col">
                  <span className="font-semibold">{r.name}</span>
                  <span className="text-[12px] text-second">
                    {recipeLine(r)}. {r.note}
                  </span>
                </span>
              </label>
            </li>
          ))}
        </ul>
      </div>
    </Modal>
  );
}
