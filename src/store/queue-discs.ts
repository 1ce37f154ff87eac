import type { EngineState } from '@/contract';
import { problemOf } from './api';
import { catalogue } from './archive';
import type { DiscRecord, DraftReel } from './db';
import { proposeDraft } from './draft';
import { readRules } from './rules';
import { readableSources } from './sources';
import { destinationOf, submitReel } from './submit';

/** What became of many discs that were to go to the queue. */
export interface QueuedDiscs {
  readonly queued: number;
  /** Discs that can not be read now: they are passed over. */
  readonly away: number;
  /** What was refused and why, with the disc's name. */
  readonly problems: readonly string[];
}

/** Sends what is planned of discs, or would be by the house rules, to the queue. One that is refused holds no other up. */
export async function queueDiscs(discs: readonly DiscRecord[], engine: EngineState | null): Promise<QueuedDiscs> {
  const rules = await readRules();
  let [queued, away] = [0, 0];
  const problems: string[] = [];
  for (const disc of discs) {
    const [source] = readableSources(disc, engine);
    if (!source) {
      away++;
      continue;
    }
    const draft = (await catalogue().drafts.get(disc.fingerprint)) ?? proposeDraft(disc, rules);
    const reels: DraftReel[] = [];
    for (const planned of draft.reels) {
      let { jobId } = planned;
      if (jobId === null)
        try {
          const destination = destinationOf(disc, draft, planned.reel, rules, engine);
          if (!destination) throw new Error('there is no library storage');
          jobId = await submitReel(disc, source.ref, planned.reel, destination);
          queued++;
        } catch (error) {
          problems.push(`${disc.name}: ${problemOf(error).message}`);
        }
      reels.push({ ...planned, jobId });
    }
    await catalogue().drafts.put({ ...draft, reels });
  }
  return { queued, away, problems };
}
