import { readFileSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { learn, paceOf, type WorkDone } from '@/core/queue';
import { WorkDoneSchema, type KnownPace } from '@/contract';
import { writeDurably } from '@/node/durable';
import type { Hub } from './hub';

const BookSchema = z.object({ version: z.literal(1), done: z.array(WorkDoneSchema).max(10_000) });

/** How long each kind of work takes on this machine, kept beyond the jobs that showed it. Losing it costs a forecast, nothing else. */
export class PaceBook {
  private readonly file: string;
  private known: readonly WorkDone[];
  private rates: KnownPace;

  constructor(
    dataFolder: string,
    private readonly hub: Pick<Hub, 'send'>,
  ) {
    this.file = path.join(dataFolder, 'pace.json');
    this.known = this.load();
    this.rates = this.sum();
  }

  get current(): KnownPace {
    return this.rates;
  }

  private load(): readonly WorkDone[] {
    try {
      return BookSchema.parse(JSON.parse(readFileSync(this.file, 'utf8'))).done;
    } catch {
      return []; // not there yet, or nobody's doing
    }
  }

  private sum(): KnownPace {
    return [...paceOf(this.known)].map(([work, rate]) => ({ work, rate }));
  }

  /** Takes in what a job has shown. */
  learn(done: readonly WorkDone[]): void {
    if (done.length === 0) return;
    this.known = learn(this.known, done);
    this.rates = this.sum();
    try {
      writeDurably(this.file, JSON.stringify({ version: 1, done: this.known }));
    } catch {
      // no room: known until the next start
    }
    this.hub.send({ type: 'pace', pace: this.rates });
  }
}
