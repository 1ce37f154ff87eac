'use client';

import { Disc3, Film, Folder } from 'lucide-react';
import { Dialog } from 'radix-ui';
import { useEffect, useState } from 'react';
import type { BrowseResult } from '@/contract';
import { call } from '@/store/api';
import { bytes } from '../format';
import { Button } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';

/** Chooses an image file or a disc folder anywhere below a configured folder. */
export function BrowseDialog({ root, onClose }: { root: string; onClose: () => void }) {
  const [path, setPath] = useState('');
  const [listing, setListing] = useState<BrowseResult | null>(null);
  const { problem, run } = useAction();
  useEffect(() => {
    let current = true;
    void run(async () => {
      const result = await call('browse', { query: { root, path } });
      if (current) setListing(result);
    });
    return () => {
      current = false;
    };
  }, [root, path, run]);
  const read = (inside: string) =>
    void run(async () => {
      await call('startReading', { body: { source: { kind: 'place', root, path: inside }, thorough: false } });
      onClose();
    });
  const parent = path.split('/').slice(0, -1).join('/');
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-black/40" />
        <Dialog.Content className="fixed top-[12vh] left-1/2 z-40 flex max-h-[70vh] w-[560px] -translate-x-1/2 flex-col rounded-[8px] border border-line bg-card shadow-xl">
          <Dialog.Title className="border-b border-faint px-4 py-2.5 font-serif text-[16px] font-semibold">
            Choose an image or a disc folder
          </Dialog.Title>
          <Dialog.Description className="flex items-center gap-2 px-4 py-2 text-second">
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
            <span className="truncate">/{path}</span>
          </Dialog.Description>
          {problem && (
            <div className="px-4 pb-2">
              <ProblemNote problem={problem} />
            </div>
          )}
          <ul className="min-h-40 overflow-y-auto px-2 pb-2">
            {listing?.entries.map((e) => (
              <li key={e.path} className="flex items-center gap-2 rounded-[4px] px-2 py-1 hover:bg-wash">
                {e.kind === 'image' ? (
                  <Disc3 size={14} aria-hidden className="text-second" />
                ) : e.kind === 'video file' ? (
                  <Film size={14} aria-hidden className="text-second" />
                ) : (
                  <Folder size={14} aria-hidden className="text-second" />
                )}
                {e.kind === 'image' || e.kind === 'video file' ? (
                  <span className="min-w-0 flex-1 truncate">{e.name}</span>
                ) : (
                  <button
                    type="button"
                    className="min-w-0 flex-1 truncate text-left"
                    onClick={() => {
                      setPath(e.path);
                    }}
                  >
                    {e.name}
                  </button>
                )}
                {e.sizeBytes !== null && <span className="text-third">{bytes(e.sizeBytes)}</span>}
                {e.kind !== 'folder' && (
                  <Button
                    onClick={() => {
                      read(e.path);
                    }}
                  >
                    Read
                  </Button>
                )}
              </li>
            ))}
            {listing?.entries.length === 0 && <li className="px-2 py-2 text-second">Nothing here that could be read.</li>}
          </ul>
          <div className="flex justify-end border-t border-faint px-4 py-2">
            <Button onClick={onClose}>Close</Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
