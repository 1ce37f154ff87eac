import type { Proof } from '@/core/proof';

/** What of a proof has failed, in a line. */
export const shortProof = (proof: Proof): string =>
  proof.checks
    .filter((c) => !c.passed)
    .map((c) => `${c.what}${c.track === null ? '' : ` of track ${c.track + 1}`}: ${c.found} instead of ${c.expected}`)
    .join('; ');
