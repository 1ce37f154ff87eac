'use client';

import { answerEarlier, useArchive } from '@/store/archive';
import { plural } from '../format';
import { Button } from '../parts/controls';
import { useAction } from '../parts/use-action';

/** A catalogue of this browser from before archives were told apart, where nothing says that it is this archive's. */
export function EarlierCatalogue() {
  const open = useArchive();
  const action = useAction();
  if (!open || open.offered === 0) return null;
  return (
    <div role="status" className="flex items-center gap-3 border-b border-faint px-3 py-2">
      <p className="min-w-0 flex-1">
        This browser has a catalogue of {plural(open.offered, 'disc')} from a version that did not tell archives apart. Is it of “
        {open.archive.name}”? It stays where it is in either case.
      </p>
      <Button disabled={action.busy} onClick={() => void action.run(() => answerEarlier(false))}>
        It is another’s
      </Button>
      <Button tone="main" disabled={action.busy} onClick={() => void action.run(() => answerEarlier(true))}>
        Take it in here
      </Button>
    </div>
  );
}
