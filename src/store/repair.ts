import { call } from './api';
import { catalogue } from './archive';
import type { DiscRecord, DraftReel, DraftRecord } from './db';
import { currentEngine } from './engine';
import { readRules } from './rules';
import { readableSources } from './sources';
import { destinationOf, submitReel } from './submit';

/** What this browser still has of a job whose order was lost on the server. */
export interface KeptOrder {
  readonly disc: DiscRecord;
  readonly draft: DraftRecord;
  readonly reel: DraftReel;
}

/** Looks for the reel that a job was made of. @returns null where it is not in this catalogue. */
export async function findOrder(jobId: string): Promise<KeptOrder | null> {
  const draft = await catalogue()
    .drafts.filter((d) => d.reels.some((r) => r.jobId === jobId))
    .first();
  const reel = draft?.reels.find((r) => r.jobId === jobId);
  const disc = draft ? await catalogue().discs.get(draft.fingerprint) : undefined;
  return draft && reel && disc ? { disc, draft, reel } : null;
}

/**
 * Sends the reel to the queue once more and clears the job that was lost: in this order, so that nothing is lost a second time.
 * @throws ApiError; Error where there is nowhere to read from or to write to.
 */
export async function sendAgain({ disc, draft, reel }: KeptOrder, lostJob: string): Promise<void> {
  const engine = currentEngine();
  const [source] = readableSources(disc, engine);
  const destination = destinationOf(disc, draft, reel.reel, await readRules(), engine);
  if (!source || !destination) throw new Error(source ? 'There is no library storage' : `${disc.name} can not be read from anywhere now`);
  const jobId = await submitReel(disc, source.ref, reel.reel, destination);
  await catalogue()
    .drafts.where('fingerprint')
    .equals(disc.fingerprint)
    .modify((kept) => {
      Object.assign(kept, { reels: kept.reels.map((r) => (r.id === reel.id ? { ...r, jobId } : r)) });
    });
  await call('forgetJob', { id: lostJob });
}
