import type { ReactNode } from 'react';

/** A part of what is known of a result. */
export function Section({ name, aside, children }: { name: string; aside?: ReactNode; children: ReactNode }) {
  return (
    <section aria-label={name} className="px-4 py-2.5">
      <div className="flex items-center justify-between">
        <h3 className="smallcaps pb-1">{name}</h3>
        {aside}
      </div>
      {children}
    </section>
  );
}
