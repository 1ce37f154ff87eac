import type { EngineState, SourceRef } from '@/contract';
import type { DiscRecord } from './db';

export interface ReadableSource {
  readonly ref: SourceRef;
  readonly name: string;
}

/** Where a disc can be read now: drives that hold something, and places that are there. */
export function readableSources(disc: DiscRecord, engine: EngineState | null): readonly ReadableSource[] {
  return disc.sources.filter(({ ref }) => {
    if (ref.kind === 'place') return engine?.roots.some((r) => r.id === ref.root && r.available) ?? true;
    return engine?.drives.some((d) => d.id === ref.drive && ['ready', 'reading', 'spinning up'].includes(d.state)) ?? true;
  });
}

/** A source that can be looked into without getting in the way of a job that reads the same drive. */
export function quietSource(sources: readonly ReadableSource[], engine: EngineState | null): ReadableSource | null {
  const isQuiet = ({ ref }: ReadableSource) =>
    ref.kind === 'place' || engine?.drives.some((d) => d.id === ref.drive && d.state === 'ready');
  return sources.find((s) => s.ref.kind === 'place') ?? sources.find(isQuiet) ?? null;
}
