'use client';

import dynamic from 'next/dynamic';
import { useEffect, useState } from 'react';
import { inField } from './in-field';

const Keys = dynamic(() => import('./keys').then((m) => m.Keys), { loading: () => null });

/** Every key there is, on "?". */
export function KeySheet() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key !== '?' || inField(event.target) || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      setOpen(true);
    };
    window.addEventListener('keydown', onKey);
    return () => {
      window.removeEventListener('keydown', onKey);
    };
  }, []);
  if (!open) return null;
  return (
    <Keys
      onClose={() => {
        setOpen(false);
      }}
    />
  );
}
