import type { CellState } from '@/contract';
import { CELL } from '../words-images';

const LOOK: Readonly<Record<CellState, string>> = {
  read: 'bg-kept/60',
  'not tried': 'bg-faint',
  'looked for': 'bg-eyes [background-image:repeating-linear-gradient(135deg,transparent_0_2px,var(--card)_2px_3px)]',
  unreadable: 'bg-damaged',
};

/** The address space of a disc from its first sector to its last, each stretch as its worst sector is. */
export function MapStrip({ cells }: { cells: readonly CellState[] }) {
  const found = (['read', 'not tried', 'looked for', 'unreadable'] as const).filter((s) => cells.includes(s));
  return (
    <figure>
      <div role="img" aria-label="What was read, along the disc" className="flex h-6 overflow-hidden rounded-[3px] border border-line">
        {cells.map((cell, i) => (
          <span key={i} className={`h-full flex-1 ${LOOK[cell]}`} />
        ))}
      </div>
      <figcaption className="flex flex-wrap gap-x-4 pt-1 text-[12px] text-second">
        {found.map((state) => (
          <span key={state} className="inline-flex items-center gap-1.5">
            <span aria-hidden className={`inline-block size-2.5 rounded-[2px] ${LOOK[state]}`} />
            {CELL[state]}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
