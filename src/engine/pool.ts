import { DiscError } from '@/core/bytes';

/** How soon somebody wants it: what is looked at goes before what is waited for, and that before what only has to be done some time. */
export const URGENCIES = ['look', 'ask', 'later'] as const;
export type Urgency = (typeof URGENCIES)[number];

interface Waiting {
  readonly urgency: Urgency;
  readonly begin: () => void;
}

/**
 * One bound for all work of the moment that takes a processor or a disk: pictures, measurements, comparisons, proofs. However many are
 * asked for, so many run; the others wait in their order and are dropped when nobody waits for them any more. One place is kept for what
 * is looked at: pictures never wait for a proof.
 */
export class Pool {
  private readonly waiting: Waiting[] = [];
  private running = 0;
  private slow = 0;

  /** @param places at least 2: one is kept for what is looked at. */
  constructor(private readonly places: number) {}

  /** @throws DiscError `cancelled` where the signal was raised before it was its turn; whatever the work throws. */
  async run<T>(urgency: Urgency, signal: AbortSignal, work: () => Promise<T>): Promise<T> {
    await this.turn(urgency, signal);
    try {
      return await work();
    } finally {
      this.running--;
      if (urgency !== 'look') this.slow--;
      this.next();
    }
  }

  private turn(urgency: Urgency, signal: AbortSignal): Promise<void> {
    return new Promise((resolve, reject) => {
      const entry: Waiting = {
        urgency,
        begin: () => {
          signal.removeEventListener('abort', drop);
          this.running++;
          if (urgency !== 'look') this.slow++;
          resolve();
        },
      };
      const drop = () => {
        const at = this.waiting.indexOf(entry);
        if (at >= 0) this.waiting.splice(at, 1);
        reject(new DiscError('cancelled', { source: 'the pool', byteOffset: 0 }, 'Nobody waits for it any more'));
      };
      if (signal.aborted) {
        drop();
        return;
      }
      signal.addEventListener('abort', drop, { once: true });
      this.waiting.push(entry);
      this.next();
    });
  }

  private next(): void {
    for (const urgency of URGENCIES) {
      const most = urgency === 'look' ? this.places : this.places - 1;
      for (;;) {
        const taken = urgency === 'look' ? this.running : Math.max(this.slow, this.running - 1);
        const at = this.waiting.findIndex((w) => w.urgency === urgency);
        if (at < 0 || taken >= most) break;
        this.waiting.splice(at, 1)[0]?.begin();
      }
    }
  }
}
