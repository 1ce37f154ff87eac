'use client';

import { useState } from 'react';
import { DEFAULT_RULES, type HouseRules } from '@/core/reels';
import { useKeptRules, useRecentDiscs } from '@/store/live';
import { saveRules } from '@/store/rules';
import { Button, Empty, Panel } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { toast } from '../parts/toasts';
import { useAction } from '../parts/use-action';
import { ArchiveName } from './archive-name';
import { Consequences } from './consequences';
import { MakingRules, SetRules } from './making-rules';
import type { RulesProps } from './rules-props';
import { TitleRules } from './title-rules';
import { TrackRules } from './track-rules';

const MOST_DISCS = 200;
function Form({ rules, set }: RulesProps) {
  return (
    <form
      className="px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
      }}
    >
      <TrackRules rules={rules} set={set} />
      <TitleRules rules={rules} set={set} />
      <MakingRules rules={rules} set={set} />
      <SetRules rules={rules} set={set} />
    </form>
  );
}

/** The archive's standing choices, with what a change would do to the discs of the collection. */
export function RulesPage() {
  const kept = useKeptRules();
  const discs = useRecentDiscs(MOST_DISCS);
  const [edited, setEdited] = useState<HouseRules | null>(null);
  const action = useAction();
  if (!kept || !discs)
    return (
      <div className="flex h-full">
        <Empty title="Opening the rules…" />
      </div>
    );
  const rules = edited ?? kept;
  const clean: HouseRules = rules.fileName.length > 0 ? rules : { ...rules, fileName: DEFAULT_RULES.fileName };
  const dirty = JSON.stringify(clean) !== JSON.stringify(kept);
  return (
    <div className="mx-auto flex h-full max-w-[1800px] flex-col gap-3 px-5 pt-4 pb-5">
      <div className="flex items-end justify-between">
        <div>
          <h1 className="font-serif text-[24px] leading-none font-medium">House rules</h1>
          <p className="pt-1 text-second">
            They decide for every disc that is read from now on; on the Bench each decision shows its reason and can be overruled.
          </p>
          <ArchiveName />
        </div>
        <div className="flex gap-2">
          {JSON.stringify(clean) !== JSON.stringify(DEFAULT_RULES) && (
            <Button
              tone="quiet"
              onClick={() => {
                setEdited(DEFAULT_RULES);
              }}
            >
              As they came
            </Button>
          )}
          <Button
            disabled={!dirty}
            onClick={() => {
              setEdited(null);
            }}
          >
            Discard
          </Button>
          <Button
            tone="main"
            disabled={!dirty}
            busy={action.busy}
            onClick={() =>
              void action.run(async () => {
                await saveRules(clean);
                setEdited(null);
                toast({ text: 'The rules are kept: they decide for every disc that is read from now on.', state: 'kept' });
              })
            }
          >
            Keep the rules
          </Button>
        </div>
      </div>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(420px,1fr)_minmax(0,1fr)] gap-4">
        <Panel label="Rules" title="Rules">
          <div className="min-h-0 flex-1 overflow-y-auto">
            <Form
              rules={rules}
              set={(change) => {
                setEdited({ ...rules, ...change });
              }}
            />
          </div>
        </Panel>
        <Panel label="Consequences" title="What they make of the collection">
          <div className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
            {discs.length === 0 ? (
              <Empty title="No disc has been read yet">Read one on the Shelf: here is then seen what the rules make of it.</Empty>
            ) : (
              <Consequences discs={discs} before={kept} after={clean} />
            )}
          </div>
        </Panel>
      </div>
    </div>
  );
}
