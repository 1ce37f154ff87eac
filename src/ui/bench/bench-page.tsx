'use client';

import Link from 'next/link';
import { useDisc } from '@/store/live';
import { Empty } from '../parts/controls';
import { Bench } from './bench';

/** The one screen where the deciding happens. */
export function BenchPage({ discId }: { discId: string }) {
  const disc = useDisc(discId);
  if (disc) return <Bench key={disc.fingerprint} disc={disc} />;
  return (
    <div className="flex h-full">
      {disc === undefined ? (
        <Empty title="Opening the disc…" />
      ) : (
        <Empty title="This disc is not in the catalogue of this browser">
          <Link href="/" className="underline">
            Read it on the Shelf
          </Link>
          : that takes a few seconds.
        </Empty>
      )}
    </div>
  );
}
