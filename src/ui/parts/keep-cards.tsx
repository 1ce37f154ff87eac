'use client';

import { useEffect } from 'react';
import { catalogue, openedArchive } from '@/store/archive';
import { keepCards, onCatalogueChange } from '@/store/cards';
import { useEngine } from '@/store/engine';
import { useOutputs } from '@/store/outputs';

/** So long nothing must have changed: what is being typed is not written with every key. */
const SETTLES_MS = 4000;

/** Keeps what the catalogue says of discs in the library as well, behind whatever page is open. */
export function KeepCards() {
  const { state } = useEngine();
  const outputs = useOutputs();
  const writable = (state?.storages ?? []).flatMap((s) => (s.identity === 'known' && s.writable ? [s.id] : [])).join(' ');
  useEffect(() => {
    const archive = openedArchive()?.archive;
    if (!outputs || outputs.length === 0 || !archive || writable === '') return;
    let timer: ReturnType<typeof setTimeout> | null = null;
    const soon = () => {
      if (timer !== null) clearTimeout(timer);
      timer = setTimeout(() => {
        // A library that can not be written now is tried again with the next change.
        keepCards(catalogue(), archive, outputs, new Set(writable.split(' '))).catch(() => undefined);
      }, SETTLES_MS);
    };
    soon();
    const end = onCatalogueChange(catalogue(), soon);
    return () => {
      end();
      if (timer !== null) clearTimeout(timer);
    };
  }, [outputs, writable]);
  return null;
}
