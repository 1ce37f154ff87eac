'use client';

import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useEffect } from 'react';
import { useLastDisc } from '@/store/live';
import { Empty } from '../parts/controls';

/** `/bench` without a disc leads to the one that was read last. */
export function BenchDoor() {
  const router = useRouter();
  const last = useLastDisc();
  useEffect(() => {
    if (last) router.replace(`/bench/${last.fingerprint.slice(0, 16)}`);
  }, [last, router]);
  if (last === null)
    return (
      <div className="flex h-full">
        <Empty title="Nothing is on the bench">
          <Link href="/" className="underline">
            Read a disc on the Shelf
          </Link>{' '}
          first; it opens here.
        </Empty>
      </div>
    );
  return (
    <div className="flex h-full">
      <Empty title="Opening the last disc…" />
    </div>
  );
}
