import { cpus } from 'node:os';
import { MASTER } from '@/core/recipes';
import type { Job } from '@/contract';

/** What lanes need to know of a job. */
export interface Order {
  readonly recipes: Job['reel']['recipes'];
  readonly source: Job['source'];
}

/**
 * What a job needs next. Reading a disc and encoding wait for different things: so the next disc can go in as soon as the
 * bytes of the one before are off, while encoders take the processor in turn.
 */
export type Phase = 'reading' | 'encoding';

/** @param parted the job has given its reading lane back: its master is made and proven. */
export function phaseOf({ recipes }: Order, parted: boolean): Phase {
  if (recipes.every((r) => r === MASTER)) return 'reading';
  return parted ? 'encoding' : 'reading';
}

/** Encoders use several cores each by themselves. */
const ENCODE_LANES = Math.max(1, Math.floor(cpus().length / 4));
/** Images share the disks they lie on; each drive has a lane of its own. */
const FILES = 'files';

/** Who uses which lane at one moment: one reading per drive, and a few encodes. */
export class Lanes {
  private readonly reading = new Set<string>();
  private encoding = 0;
  private readonly encodeLanes: number;

  /** @param encodeLanes null for as many as suit this machine. */
  constructor(encodeLanes: number | null = null) {
    this.encodeLanes = encodeLanes ?? ENCODE_LANES;
  }

  private readingLane(job: Order): string {
    return job.source.kind === 'drive' ? `drive ${job.source.drive}` : FILES;
  }

  /** Takes what a job needs where all of it is free. @returns false, and takes nothing, where it is not. */
  take(job: Order, phase: Phase): boolean {
    const lane = this.readingLane(job);
    if (phase === 'reading' ? this.reading.has(lane) : this.encoding >= this.encodeLanes) return false;
    this.occupy(job, phase);
    return true;
  }

  /** Notes a job that stands still: it keeps its drive, whose disc it has half read, and nothing else. */
  occupyPaused(job: Order, phase: Phase): void {
    if (phase === 'reading' && job.source.kind === 'drive') this.occupy(job, phase);
  }

  /** Notes a job that is at work already. */
  occupy(job: Order, phase: Phase): void {
    if (phase === 'reading') this.reading.add(this.readingLane(job));
    else this.encoding++;
  }
}
