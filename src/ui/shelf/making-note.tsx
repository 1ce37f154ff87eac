'use client';

import type { EngineState } from '@/contract';
import { Bar } from '../parts/controls';

/** Discs that are still being made for a place, to look around with: those that are there can be used meanwhile. */
export function MakingNote({ making }: { making: NonNullable<EngineState['roots'][number]['making']> }) {
  const { made, total, share, names } = making;
  return (
    <div role="status" className="border-b border-faint px-3 py-2">
      <p className="mb-1 text-second">
        Making demo discs: {made} of {total} ready. They appear here one by one.
      </p>
      <Bar value={share} label={`Demo discs made: ${Math.round(share * 100)} %`} />
      {names.length > 0 && <p className="mt-1 truncate text-second">Now: {names.join(', ')}</p>}
    </div>
  );
}
