'use client';

import { useEffect } from 'react';
import { catalogue, openedArchive } from '@/store/archive';
import { keepCards } from '@/store/cards';
import { useEngine } from '@/store/engine';
import { useDiscs, useDrafts } from '@/store/live';
import { useOutputs } from '@/store/outputs';

/** So long nothing must have changed: what is being typed is not written with every key. */
const SETTLES_MS = 4000;

/** Keeps what the catalogue says of discs in the library as well, behind whatever page is open. */
export function KeepCards() {
  const { state } = useEngine();
  const outputs = useOutputs();
  const discs = useDiscs();
  const drafts = useDrafts();
  const writable = (state?.storages ?? []).flatMap((s) => (s.identity === 'known' && s.writable ? [s.id] : [])).join(' ');
  useEffect(() => {
    const archive = openedArchive()?.archive;
    if (!outputs || outputs.length === 0 || !discs || !drafts || !archive || writable === '') return;
    const timer = setTimeout(() => {
      // A library that can not be written now is tried again with the next change.
      keepCards(catalogue(), archive, outputs, new Set(writable.split(' '))).catch(() => undefined);
    }, SETTLES_MS);
    return () => {
      clearTimeout(timer);
    };
  }, [outputs, discs, drafts, writable]);
  return null;
}
