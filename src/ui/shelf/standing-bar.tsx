'use client';

import dynamic from 'next/dynamic';
import { useState } from 'react';
import { HouseRulesSchema, type EngineState } from '@/contract';
import { endOrder } from '@/store/standing';
import { useRules } from '@/store/rules';
import { moment, plural } from '../format';
import { Button, StateText } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const StandingDialog = dynamic(() => import('./standing-dialog').then((m) => m.StandingDialog), { loading: () => null });
const OutcomesDialog = dynamic(() => import('./outcomes-dialog').then((m) => m.OutcomesDialog), { loading: () => null });

/** Whether discs are queued by themselves, and what became of those that were. */
export function StandingBar({ engine }: { engine: EngineState }) {
  const { settings, since, queued, eyes, seq } = engine.standing;
  const [open, setOpen] = useState<'order' | 'outcomes' | null>(null);
  const action = useAction();
  const rules = useRules();
  // Both in the order of the schema: rules that were kept longer ago have another.
  const isOld = settings !== null && JSON.stringify(HouseRulesSchema.parse(rules)) !== JSON.stringify(settings.rules);
  const counts = [
    queued > 0 ? plural(queued, 'disc') + ' queued' : '',
    eyes > 0 ? `${eyes} ${eyes === 1 ? 'wants' : 'want'} eyes` : '',
  ].filter(Boolean);
  return (
    <div role="region" aria-label="Discs by themselves" className="border-t border-faint px-3 py-2">
      {settings === null ? (
        <div className="flex items-center gap-2">
          <span className="min-w-0 flex-1 text-second">A disc that is put in is read, and waits for you.</span>
          <Button
            tone="quiet"
            className="px-2 py-0.5"
            onClick={() => {
              setOpen('order');
            }}
          >
            By itself…
          </Button>
        </div>
      ) : (
        <>
          <StateText state="running">By itself{since && `, since ${moment(since)}`}</StateText>
          <p className="text-second">{counts.join(', ') || 'No disc has come yet.'}</p>
          {settings.series && (
            <p className="truncate text-second">
              {settings.series.series}
              {settings.series.season === null ? '' : `, season ${settings.series.season}`}: next is episode {settings.series.nextEpisode}
            </p>
          )}
          {isOld && <p className="text-eyes">The house rules have changed since: “Change…” takes them over.</p>}
          <div className="-mx-1 mt-1 flex gap-1">
            <Button
              tone="quiet"
              className="px-2 py-0.5"
              onClick={() => {
                setOpen('order');
              }}
            >
              Change…
            </Button>
            <Button tone="quiet" className="px-2 py-0.5" disabled={action.busy} onClick={() => void action.run(endOrder)}>
              End
            </Button>
          </div>
        </>
      )}
      {seq > 0 && (
        <button
          type="button"
          className="text-accent hover:underline"
          onClick={() => {
            setOpen('outcomes');
          }}
        >
          What became of the last discs
        </button>
      )}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      {open === 'order' && (
        <StandingDialog
          engine={engine}
          onClose={() => {
            setOpen(null);
          }}
        />
      )}
      {open === 'outcomes' && (
        <OutcomesDialog
          seq={seq}
          onClose={() => {
            setOpen(null);
          }}
        />
      )}
    </div>
  );
}
