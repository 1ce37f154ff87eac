import { cpus } from 'node:os';
import { MASTER } from '@/core/recipes';
import type { Job, Stage } from '@/contract';
import { readsOf } from './job-state';

/** What lanes need to know of a job. */
export interface Order {
  readonly recipes: Job['reel']['recipes'];
  readonly source: Job['source'];
}

/**
 * What a job needs next. Reading a disc, proving what was read and encoding wait for different things: so the next disc can go in as soon
 * as the bytes of the one before are off, while encoders take the processor in turn.
 */
export type Phase = 'reading' | 'proving' | 'encoding';

/**
 * @param parted the job needs its disc no more: its master is made and proven.
 * @param stage where it stands; one that is not yet begun has none.
 */
export function phaseOf({ recipes }: Order, parted: boolean, stage: Stage | null): Phase {
  if (parted && recipes.some((r) => r !== MASTER)) return 'encoding';
  return stage === null || stage === 'master' ? 'reading' : 'proving';
}

/** Masters that are proven at once, beside what is read meanwhile: a reading waits rather than leave more behind it. */
const PROOF_LANES = 2;

/** Encoders use several cores each by themselves. */
export const ENCODE_LANES = Math.max(1, Math.floor(cpus().length / 4));
/** Who uses which lane at one moment: one reading per drive, a few proofs and a few encodes. */
export class Lanes {
  private readonly reading = new Set<string>();
  private proving = 0;
  private encoding = 0;
  private readonly encodeLanes: number;

  /** @param encodeLanes null for as many as suit this machine. */
  constructor(encodeLanes: number | null = null) {
    this.encodeLanes = encodeLanes ?? ENCODE_LANES;
  }

  private readingLane(job: Order): string {
    return readsOf(job.source);
  }

  /** Takes what a job needs where all of it is free. @returns false, and takes nothing, where it is not. */
  take(job: Order, phase: Phase): boolean {
    if (!this.isFree(job, phase)) return false;
    this.occupy(job, phase);
    return true;
  }

  private isFree(job: Order, phase: Phase): boolean {
    switch (phase) {
      case 'reading':
        return !this.reading.has(this.readingLane(job)) && this.proving < PROOF_LANES;
      case 'proving':
        return this.proving < PROOF_LANES;
      case 'encoding':
        return this.encoding < this.encodeLanes;
    }
  }

  /** Notes a job that stands still: it keeps its drive, whose disc it has half read, and nothing else. */
  occupyPaused(job: Order, phase: Phase): void {
    if (phase === 'reading' && job.source.kind === 'drive') this.occupy(job, phase);
  }

  /** Notes a job that is at work already. */
  occupy(job: Order, phase: Phase): void {
    if (phase === 'reading') this.reading.add(this.readingLane(job));
    else if (phase === 'proving') this.proving++;
    else this.encoding++;
  }
}
