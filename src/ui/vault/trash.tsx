'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import type { TrashEntry } from '@/contract';
import { call } from '@/store/api';
import { bytes, moment, plural } from '../format';
import { Button } from '../parts/controls';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

const KEY = ['trash'];

/** What was discarded; asked for again when the vault has changed. */
function useTrash(stamp: number): readonly TrashEntry[] {
  const { data } = useQuery({ queryKey: [...KEY, stamp], queryFn: ({ signal }) => call('trash', { signal }) });
  return data?.entries ?? [];
}

function TrashDialog({ entries, onClose }: { entries: readonly TrashEntry[]; onClose: () => void }) {
  const client = useQueryClient();
  const action = useAction();
  const [isAsked, setAsked] = useState(false);
  const size = entries.reduce((sum, e) => sum + e.sizeBytes, 0);
  const act = (work: () => Promise<unknown>) =>
    void action.run(async () => {
      await work();
      await client.invalidateQueries({ queryKey: KEY });
      await client.invalidateQueries({ queryKey: ['vault'] });
    });
  return (
    <Modal
      wide
      title="Discarded"
      onClose={onClose}
      footer={
        isAsked ? (
          <>
            <span className="mr-auto text-second">
              {plural(entries.length, 'result')}, {bytes(size)}: gone for good then.
            </span>
            <Button
              tone="quiet"
              onClick={() => {
                setAsked(false);
              }}
            >
              Keep them
            </Button>
            <Button
              tone="danger"
              busy={action.busy}
              onClick={() => {
                act(() => call('emptyTrash', { body: { ids: entries.map((e) => e.id) } }));
                setAsked(false);
              }}
            >
              Delete them
            </Button>
          </>
        ) : (
          <Button
            tone="danger"
            disabled={entries.length === 0}
            onClick={() => {
              setAsked(true);
            }}
          >
            Delete all for good…
          </Button>
        )
      }
    >
      <p className="pb-2 text-second">They stand aside in their storage, where nothing lists them, and take as much room as before.</p>
      <ul aria-label="Discarded results">
        {entries.map((e) => (
          <li
            key={e.id}
            className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.2fr)_80px_96px_84px] items-baseline gap-3 border-t border-faint py-1.5"
          >
            <span className="truncate font-serif text-[15px]">{e.name}</span>
            <span className="truncate text-second" title={e.path}>
              {e.path} in {e.storageName}
            </span>
            <span className="text-right tabular-nums">{bytes(e.sizeBytes)}</span>
            <span className="text-right text-second">{moment(e.at)}</span>
            <Button
              className="px-2 py-0.5"
              disabled={action.busy}
              onClick={() => {
                act(() => call('putBack', { id: e.id }));
              }}
            >
              Put back
            </Button>
          </li>
        ))}
      </ul>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </Modal>
  );
}

/** The way to what was discarded; nothing where nothing was. @param stamp changes when the vault does. */
export function TrashLink({ stamp }: { stamp: number }) {
  const entries = useTrash(stamp);
  const [isOpen, setOpen] = useState(false);
  if (entries.length === 0 && !isOpen) return null;
  return (
    <>
      <button
        type="button"
        className="text-accent hover:underline"
        onClick={() => {
          setOpen(true);
        }}
      >
        {plural(entries.length, 'result')} discarded
      </button>
      {isOpen && (
        <TrashDialog
          entries={entries}
          onClose={() => {
            setOpen(false);
          }}
        />
      )}
    </>
  );
}
