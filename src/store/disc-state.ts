import { coverageOf, type Coverage, type Piece } from '@/core/reels';
import type { JobState, Output } from '@/contract';
import type { DiscRecord, DraftRecord } from './db';

export type DiscState = 'running' | 'in the vault' | 'partly in the vault' | 'planned' | 'needs eyes' | 'read';

/** A disc is in the vault when what its findings call its matter is: the main title, or all episodes. */
export function discState(
  disc: DiscRecord,
  draft: DraftRecord | undefined,
  jobs: readonly JobState[],
  outputs: readonly Output[],
): { readonly state: DiscState; readonly coverage: Coverage } {
  const mine = outputs.filter((o) => o.sidecar.disc.fingerprint === disc.fingerprint && o.presence === 'present');
  const kept = mine.flatMap((o) => o.sidecar.reel.pieces);
  const planned = (draft?.reels ?? []).flatMap((r) => r.reel.pieces);
  const coverage = coverageOf(disc.reading, kept, planned);
  const matter = disc.findings.titles.filter((f) => f.role === 'main' || f.role === 'episode').map((f) => f.title);
  const whole = (number: number) => {
    const title = disc.reading.titles.find((t) => t.number === number);
    const all = (p: Piece) =>
      p.range
        ? p.range.fromMs <= 0 && p.range.toMs >= (title?.durationMs ?? 0)
        : p.fromChapter === 1 && p.toChapter === title?.chapters.length;
    return kept.some((p) => p.title === number && all(p));
  };
  const state: DiscState = jobs.some((j) => j.fingerprint === disc.fingerprint && ['running', 'waiting', 'interrupted'].includes(j.state))
    ? 'running'
    : matter.length > 0 && matter.every(whole)
      ? 'in the vault'
      : kept.length > 0
        ? 'partly in the vault'
        : disc.reading.remarks.some((r) => r.severity === 'fault')
          ? 'needs eyes'
          : planned.length > 0
            ? 'planned'
            : 'read';
  return { state, coverage };
}
