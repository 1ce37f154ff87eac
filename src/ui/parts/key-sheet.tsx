'use client';

import dynamic from 'next/dynamic';
import { useState } from 'react';
import { useKeys } from './use-keys';

const Keys = dynamic(() => import('./keys').then((m) => m.Keys), { loading: () => null });

/** Every key there is, on "?". */
export function KeySheet() {
  const [open, setOpen] = useState(false);
  useKeys({
    sheet: () => {
      setOpen(true);
    },
  });
  if (!open) return null;
  return (
    <Keys
      onClose={() => {
        setOpen(false);
      }}
    />
  );
}
