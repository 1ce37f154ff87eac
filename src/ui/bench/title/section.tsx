import type { ReactNode } from 'react';

/** A part of what is known of a title. */
export function Section({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section aria-label={name} className="px-3.5 py-2">
      <h3 className="smallcaps pb-0.5">{name}</h3>
      {children}
    </section>
  );
}
