'use client';

import { AudioLines, Disc3, Film, Folder } from 'lucide-react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { FoundSource } from '@/contract';
import { call, problemOf } from '@/store/api';
import { bytes } from '../format';
import { Button } from './controls';
import { Select } from './fields';
import { Modal } from './modal';
import { ProblemNote } from './problem-note';
import { useAction } from './use-action';

const ICON = { image: Disc3, 'video file': Film, 'sound file': AudioLines, 'disc folder': Folder, folder: Folder } as const;
const isFolder = (e: FoundSource) => e.kind === 'folder' || e.kind === 'disc folder';

function EntryRow({
  entry: e,
  action,
  busy,
  onOpen,
  onChoose,
}: {
  entry: FoundSource;
  /** What its button says; null where it can not be chosen. */
  action: string | null;
  busy: boolean;
  onOpen: () => void;
  onChoose: () => void;
}) {
  const Icon = ICON[e.kind];
  return (
    <li className="flex items-center gap-2 rounded-[4px] px-2 py-1 hover:bg-wash">
      <Icon size={14} aria-hidden className="text-second" />
      {isFolder(e) ? (
        <button
          type="button"
          className="min-w-0 flex-1 truncate text-left"
          onClick={() => {
            onOpen();
          }}
        >
          {e.name}
        </button>
      ) : (
        <span className="min-w-0 flex-1 truncate">{e.name}</span>
      )}
      {e.sizeBytes !== null && <span className="text-third">{bytes(e.sizeBytes)}</span>}
      {action !== null && (
        <Button
          busy={busy}
          aria-label={`${action} ${e.name}`}
          onClick={() => {
            onChoose();
          }}
        >
          {action}
        </Button>
      )}
    </li>
  );
}

/** Chooses something in the configured places, one folder at a time. */
export function PlaceBrowser({
  title,
  places,
  forSound = false,
  action,
  empty,
  onChoose,
  onClose,
}: {
  title: string;
  places: readonly { readonly id: string; readonly name: string }[];
  /** Files that sound can be taken from, instead of discs. */
  forSound?: boolean;
  /** What the button beside an entry says. */
  action: string;
  empty: string;
  /** Settles when the choice was taken; the dialog is then closed. What it throws is shown. */
  onChoose: (root: string, path: string) => Promise<void>;
  onClose: () => void;
}) {
  const [root, setRoot] = useState(places[0]?.id ?? '');
  const [path, setPath] = useState('');
  const { problem: refusal, run, busy } = useAction();
  const { data: listing, error } = useQuery({
    queryKey: ['browse', root, path, forSound],
    queryFn: ({ signal }) => call('browse', { query: { root, path, ...(forSound ? { for: 'sound' } : {}) }, signal }),
    // Files come and go: what was seen is shown at once, and looked at anew.
    staleTime: 0,
  });
  const problem = refusal ?? (error ? problemOf(error) : null);
  const choose = (inside: string) =>
    void run(async () => {
      await onChoose(root, inside);
      onClose();
    });
  const parent = path.split('/').slice(0, -1).join('/');
  return (
    <Modal title={title} onClose={onClose}>
      <div className="flex items-center gap-2 pb-2 text-second">
        {places.length > 1 && (
          <Select
            label="Place"
            value={root}
            options={places.map((p) => ({ value: p.id, name: p.name }))}
            onChange={(id) => {
              setRoot(id);
              setPath('');
            }}
          />
        )}
        {path !== '' && (
          <Button
            tone="quiet"
            onClick={() => {
              setPath(parent);
            }}
          >
            Up
          </Button>
        )}
        <span className="truncate">
          {places.length === 1 ? `${places[0]?.name ?? ''} ` : ''}/{path}
        </span>
      </div>
      {problem && (
        <div className="pb-2">
          <ProblemNote problem={problem} />
        </div>
      )}
      <ul className="-mx-2 max-h-[50vh] min-h-40 overflow-y-auto">
        {listing?.entries.map((e) => (
          <EntryRow
            key={e.path}
            entry={e}
            action={(forSound ? !isFolder(e) : e.kind !== 'folder') ? action : null}
            busy={busy}
            onOpen={() => {
              setPath(e.path);
            }}
            onChoose={() => {
              choose(e.path);
            }}
          />
        ))}
        {!listing && !problem && <li className="px-2 py-2 text-second">Looking…</li>}
        {listing?.entries.length === 0 && <li className="px-2 py-2 text-second">{empty}</li>}
      </ul>
    </Modal>
  );
}
