'use client';

import { useState } from 'react';
import { catalogue } from '@/store/archive';
import { applyImport, type ImportPlan } from '@/store/exchange';
import { day, plural } from '../format';
import { Button, StateText } from '../parts/controls';
import { Check } from '../parts/fields';
import { Modal } from '../parts/modal';

const MOST_LISTED = 100;

/** What an import would change, before it does. */
export function ImportDialog({ plan, onClose }: { plan: ImportPlan; onClose: () => void }) {
  const [withRules, setWithRules] = useState(false);
  const [busy, setBusy] = useState(false);
  const nothing =
    plan.added.length === 0 &&
    plan.changed.length === 0 &&
    plan.drafts.length === 0 &&
    plan.recipes.length === 0 &&
    !(withRules && plan.rulesDiffer);
  return (
    <Modal
      title={`Catalogue of ${plan.archive ? `“${plan.archive.name}”, ` : ''}${plan.exportedAt ? day(plan.exportedAt) : 'unknown date'}`}
      onClose={onClose}
      footer={
        <>
          <Button onClick={onClose}>Cancel</Button>
          <Button
            tone="main"
            disabled={nothing || busy}
            onClick={() => {
              setBusy(true);
              void applyImport(catalogue(), plan, withRules).then(onClose);
            }}
          >
            {busy ? 'Taking it in…' : 'Take it in'}
          </Button>
        </>
      }
    >
      <p className="pb-2">
        {plural(plan.added.length, 'disc')} would be added, {plan.changed.length} changed; {plan.same} {plan.same === 1 ? 'is' : 'are'} the
        same already.{' '}
        {plan.drafts.length > 0 && `Planned reels for ${plural(plan.drafts.length, 'disc')} come with it; what is planned here stays.`}
      </p>
      {plan.isForeign && (
        <p className="pb-2">
          It is of another archive than this one: discs come without the places where they were read, which are that archive’s own.
        </p>
      )}
      {plan.changed.length > 0 && (
        <ul className="max-h-48 overflow-y-auto border-t border-faint py-1">
          {plan.changed.slice(0, MOST_LISTED).map(({ disc, what }) => (
            <li key={disc.fingerprint}>
              <span className="font-semibold">{disc.name}</span>: {what.join(', ')}
            </li>
          ))}
        </ul>
      )}
      {plan.wrong.length > 0 && (
        <ul className="max-h-32 overflow-y-auto border-t border-faint py-1">
          {plan.wrong.slice(0, MOST_LISTED).map((w, i) => (
            <li key={`${w.name} ${i}`}>
              <StateText state="eyes">
                {w.name} can not be read and is left out ({w.reason})
              </StateText>
            </li>
          ))}
        </ul>
      )}
      {plan.rulesDiffer && <Check label="also take its house rules, instead of those here" checked={withRules} onChange={setWithRules} />}
    </Modal>
  );
}
