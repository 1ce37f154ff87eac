'use client';

import { HardDrive } from 'lucide-react';
import type { StorageState } from '@/contract';
import { call } from '@/store/api';
import { bytes } from '../format';
import { Button, Panel, StateText } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { STORAGE_IDENTITY } from '../words';

const isAsked = ({ identity }: StorageState) => identity === 'new' || identity === 'other';

/** What may be done with a storage now, in a few words. */
function Standing({ storage }: { storage: StorageState }) {
  if (storage.identity !== 'known')
    return <StateText state={storage.identity === 'away' ? 'damaged' : 'eyes'}>{STORAGE_IDENTITY[storage.identity]}</StateText>;
  if (!storage.writable) return <StateText state="eyes">read-only</StateText>;
  const limit = storage.largestFile === null ? '' : `${storage.fileSystem ?? ''}: files of up to ${bytes(storage.largestFile)}`;
  return (
    <span className="text-second" title={storage.fileSystem ?? undefined}>
      {[storage.freeBytes === null ? '' : `${bytes(storage.freeBytes)} free`, limit].filter(Boolean).join(' · ')}
    </span>
  );
}

/** Asked once for each storage: from then on it is known again, and nothing is written in its place while it is away. */
function TakeStorage({ storage }: { storage: StorageState }) {
  const action = useAction();
  const isNew = storage.identity === 'new';
  return (
    <div className="border-b border-faint px-3 pt-1 pb-2.5">
      <p className="pb-2 text-second">
        {isNew ? (
          <>
            Is <span className="break-all text-ink">{storage.path}</span> the library, mounted as it should be?{' '}
            {storage.freeBytes !== null && `It has ${bytes(storage.freeBytes)} free. `}A small file is put into it, by which it is known
            again. Nothing is written before.
          </>
        ) : (
          <>
            What stands at <span className="break-all text-ink">{storage.path}</span> is not the library that was taken here: another disk,
            or a mount point with nothing mounted. Jobs for it wait. Mount the library again, or say that this is the library now.
          </>
        )}
      </p>
      <Button
        tone={isNew ? 'main' : 'plain'}
        disabled={action.busy}
        onClick={() => void action.run(() => call('takeStorage', { id: storage.id }))}
      >
        {isNew ? 'Take it as the library' : 'This is the library now'}
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}

/** What a cable, a router or a server does to a share; a simulated one has none of them. */
function Plug({ storage }: { storage: StorageState }) {
  const action = useAction();
  const plugged = storage.identity !== 'away';
  return (
    <div className="flex items-center gap-2 border-b border-faint pr-3 pb-1.5 pl-8.5">
      <span className="flex-1 text-third">a simulated share</span>
      <Button
        tone="quiet"
        disabled={action.busy}
        title={plugged ? 'As when its server is gone: jobs for it wait' : 'It comes back as it was; jobs that waited for it go on'}
        onClick={() => void action.run(() => call('plugStorage', { id: storage.id, body: { plugged: !plugged } }))}
      >
        {plugged ? 'Unplug' : 'Plug in'}
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}

/** The places that results go to. */
export function LibraryStorage({ storages }: { storages: readonly StorageState[] }) {
  return (
    <Panel title="Library storage" label="Library storage" className="shrink-0">
      <ul>
        {storages.map((s) => (
          <li key={s.id}>
            <div className={`flex items-center gap-2 px-3 py-1.5 ${isAsked(s) || s.simulated ? '' : 'border-b border-faint'}`}>
              <HardDrive size={14} aria-hidden className="text-second" />
              <span className="min-w-0 flex-1 truncate" title={s.path}>
                {s.name}
              </span>
              <Standing storage={s} />
            </div>
            {s.simulated && <Plug storage={s} />}
            {isAsked(s) && <TakeStorage storage={s} />}
          </li>
        ))}
      </ul>
    </Panel>
  );
}
