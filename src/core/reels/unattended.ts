import type { Findings } from '../findings';
import type { Reading } from '../reading';
import type { HouseRules, Proposal } from './house-rules';

/** Why somebody has to look at a disc before anything of it is queued. */
export const EYES_REASONS = ['protected', 'faults', 'damaged', 'unsure', 'nothing'] as const;
export type EyesReason = (typeof EYES_REASONS)[number];

export interface WantsEyes {
  readonly reason: EyesReason;
  /** Titles it is about. */
  readonly titles: readonly number[];
  /** Of `unsure`: how sure the least sure of them is, 0 to 1. */
  readonly confidence: number | null;
}

/** Titles that a disc is about: whether they were recognised decides. An extra more or less does not. */
const MATTER: ReadonlySet<string> = new Set(['main', 'episode', 'feature', 'cut']);

/**
 * Whether a proposal can be queued without anybody looking at it.
 * @param leastSure confidence, 0 to 1, that findings of what the disc is about must have. @returns why not, or null.
 */
export function wantsEyes(
  reading: Reading,
  findings: Findings,
  proposal: Proposal,
  rules: Pick<HouseRules, 'damage'>,
  leastSure: number,
): WantsEyes | null {
  const because = (reason: EyesReason, titles: readonly number[] = [], confidence: number | null = null): WantsEyes => ({
    reason,
    titles,
    confidence,
  });
  if (findings.outOfReach !== null) {
    const title = reading.titles.find((t) => t.number === findings.outOfReach);
    return because(title?.state === 'scrambled' ? 'protected' : 'damaged', [findings.outOfReach]);
  }
  const taken = new Set(proposal.reels.flatMap((r) => r.pieces.map((p) => p.title)));
  if (taken.size === 0) return because(reading.titles.some((t) => t.state === 'scrambled') ? 'protected' : 'nothing');
  const hurt = reading.titles.filter(
    (t) => taken.has(t.number) && t.state !== 'usable' && !(rules.damage === 'around' && t.state === 'damaged'),
  );
  if (hurt.length > 0)
    return because(
      'damaged',
      hurt.map((t) => t.number),
    );
  const faults = reading.remarks.filter((r) => r.severity === 'fault' && (r.title === null || taken.has(r.title)));
  if (faults.length > 0)
    return because(
      'faults',
      faults.flatMap((r) => (r.title === null ? [] : [r.title])),
    );
  const matter = findings.titles.filter((f) => taken.has(f.title) && MATTER.has(f.role));
  if (matter.length === 0) return because('unsure', [], 0);
  const unsure = matter.filter((f) => f.confidence < leastSure);
  return unsure.length === 0
    ? null
    : because(
        'unsure',
        unsure.map((f) => f.title),
        Math.min(...unsure.map((f) => f.confidence)),
      );
}
