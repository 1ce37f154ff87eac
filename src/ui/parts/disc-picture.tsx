'use client';

import { useEffect } from 'react';
import { useFirstLook, wantFirstLook } from '@/store/first-looks';

/** A disc's cover, or a first look into it; an empty place where this browser has neither. */
export function DiscPicture({ fingerprint, cover }: { fingerprint: string; cover: string | null }) {
  const look = useFirstLook(fingerprint);
  useEffect(() => {
    if (!cover) wantFirstLook(fingerprint);
  }, [cover, fingerprint]);
  const picture = cover ?? look;
  const place = 'h-10 w-[62px] shrink-0 rounded-[3px]';
  if (!picture) return <span aria-hidden className={`${place} border border-faint bg-paper`} />;
  // eslint-disable-next-line @next/next/no-img-element
  return <img src={picture} alt="" className={`${place} bg-black object-contain`} />;
}
