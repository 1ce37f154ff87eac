import type { Findings, Role } from '@/core/findings';
import { FAULT_WEIGHTS, MOST_STRETCHES, damageOf } from '@/core/reading';
import { coverageOf, takenPieces, type Coverage, type KeptPieces, type Piece } from '@/core/reels';
import type { JobState, VaultEntry } from '@/contract';
import type { DiscRecord, DraftRecord } from './db';

export type DiscState = 'running' | 'waiting' | 'in the vault' | 'partly in the vault' | 'planned' | 'needs eyes' | 'read';

const hasGaps = (output: VaultEntry) => (output.sidecar.promise.wholeness?.damage ?? 0) > 0;

/** What a master with gaps has kept: where its faults can not all be placed on the disc, nothing is taken for kept. */
function keptAround({ sidecar }: VaultEntry): KeptPieces {
  const faults = (sidecar.promise.wholeness?.faults ?? []).filter((f) => FAULT_WEIGHTS[f.kind] === 'damage');
  const gaps = damageOf(faults, () => true);
  const listed = faults.reduce((sum, f) => sum + f.count, 0);
  const isKnown = gaps.length > 0 && gaps.length < MOST_STRETCHES && listed === sidecar.promise.wholeness?.damage;
  return { pieces: isKnown ? takenPieces(sidecar.reel) : [], gaps };
}

/** Titles of one kind that nothing takes. */
export interface LeftTitles {
  readonly role: Role;
  readonly count: number;
}
/** What stands once more elsewhere on the disc, or is nothing to keep, is not missed. */
const NOT_MISSED: ReadonlySet<Role> = new Set(['version', 'play-all', 'duplicate', 'decoy', 'part', 'menu', 'short', 'unusable']);

function leftTitles(findings: Findings, taken: readonly Piece[]): LeftTitles[] {
  const numbers = new Set(taken.map((p) => p.title));
  const counts = new Map<Role, number>();
  for (const { title, role } of findings.titles)
    if (!numbers.has(title) && !NOT_MISSED.has(role)) counts.set(role, (counts.get(role) ?? 0) + 1);
  return [...counts].map(([role, count]) => ({ role, count }));
}

/** A disc is in the vault when what its findings call its matter is, without a gap: the main title, or all episodes. */
export function discState(
  disc: DiscRecord,
  draft: DraftRecord | undefined,
  jobs: readonly JobState[],
  outputs: readonly VaultEntry[],
): { readonly state: DiscState; readonly coverage: Coverage; readonly left: readonly LeftTitles[] } {
  const mine = outputs.filter((o) => o.sidecar.disc.fingerprint === disc.fingerprint && o.presence === 'present');
  const whole = mine.filter((o) => !hasGaps(o)).flatMap((o) => takenPieces(o.sidecar.reel));
  const gapped = mine.filter(hasGaps).map(keptAround);
  const done = new Set(jobs.filter((j) => j.state === 'done').map((j) => j.id));
  // What a job has made is planned no more: what that left out, or what has gone since, is not on its way.
  const planned = (draft?.reels ?? []).filter((r) => r.jobId === null || !done.has(r.jobId)).flatMap((r) => takenPieces(r.reel));
  const coverage = coverageOf(disc.reading, whole, planned, gapped);
  const matter = disc.findings.titles.filter((f) => f.role === 'main' || f.role === 'episode').map((f) => f.title);
  const isKept = (number: number) => {
    const title = disc.reading.titles.find((t) => t.number === number);
    const all = (p: Piece) =>
      p.range
        ? p.range.fromMs <= 0 && p.range.toMs >= (title?.durationMs ?? 0)
        : p.fromChapter === 1 && p.toChapter === title?.chapters.length;
    return whole.some((p) => p.title === number && all(p));
  };
  const isAny = (...states: readonly JobState['state'][]) =>
    jobs.some((j) => j.fingerprint === disc.fingerprint && states.includes(j.state));
  const state = (): DiscState => {
    if (isAny('running', 'interrupted')) return 'running';
    if (isAny('waiting')) return 'waiting';
    if (matter.length > 0 && matter.every(isKept)) return 'in the vault';
    if (mine.length > 0) return 'partly in the vault';
    if (disc.reading.remarks.some((r) => r.severity === 'fault')) return 'needs eyes';
    return planned.length > 0 ? 'planned' : 'read';
  };
  const left = leftTitles(disc.findings, [...whole, ...gapped.flatMap((g) => g.pieces), ...planned]);
  return { state: state(), coverage, left };
}
