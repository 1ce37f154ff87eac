import type { Findings } from '@/core/findings';
import type { Reading } from '@/core/reading';
import { OUTCOMES_PAGE, type StandingOutcome, type StandingSettings } from '@/contract';
import { call } from './api';
import { catalogue } from './archive';
import { keepReading } from './discs';
import type { Catalogue } from './db';
import { ownRecipes } from './recipes';
import { readRules } from './rules';

/** What the standing order did while no page was open comes into the catalogue. */

let running: Promise<void> | null = null;

/** Number of the last outcome that this catalogue has. */
async function lastKnown(db: Catalogue): Promise<number> {
  const kept = await db.settings.get('standing outcomes');
  return kept?.key === 'standing outcomes' ? kept.seq : 0;
}

/** Fetches what is not known yet, in order; each is kept before the next is asked for. @param seq number of the last that there is. */
export function fetchOutcomes(seq: number): Promise<void> {
  running ??= fetchAll(catalogue(), seq).finally(() => {
    running = null;
  });
  return running;
}

async function fetchAll(db: Catalogue, seq: number): Promise<void> {
  let known = await lastKnown(db);
  // Another data folder under the same address: its numbers begin anew.
  if (known > seq) known = 0;
  while (known < seq) {
    const { outcomes } = await call('standingOutcomes', { query: { after: String(known) } });
    for (const outcome of outcomes) {
      await keepOutcome(db, outcome);
      known = outcome.seq;
      await db.settings.put({ key: 'standing outcomes', seq: known });
    }
    if (outcomes.length < OUTCOMES_PAGE) break;
  }
}

/** Keeps a disc as the order found it, and what was planned of it where nobody has worked on it meanwhile. */
export async function keepOutcome(
  db: Catalogue,
  outcome: StandingOutcome,
  readingOf: (fingerprint: string) => Promise<{ readonly reading: Reading; readonly findings: Findings }> = (id) =>
    call('standingReading', { id }),
): Promise<void> {
  const { fingerprint } = outcome;
  if (fingerprint === null) return;
  const kept = await readingOf(fingerprint).catch(() => null);
  const before = await db.discs.get(fingerprint);
  // The page that was open has it already, and may have measured it since.
  if (kept && !before) await keepReading(db, kept.reading, kept.findings, outcome.source, outcome.name, false, outcome.at);
  if (outcome.tags.series !== '' && (before === undefined || before.tags.series === ''))
    await db.discs.update(fingerprint, { tags: outcome.tags, firstEpisode: outcome.firstEpisode });
  if (outcome.reels.length === 0) return;
  const draft = await db.drafts.get(fingerprint);
  if (draft?.reels.some((r) => r.jobId !== null)) return;
  const isOrdered = outcome.reels.some((r) => r.jobId !== null);
  if (draft && !isOrdered) return; // what somebody has composed stays
  await db.drafts.put({
    fingerprint,
    reels: outcome.reels,
    storage: outcome.storage,
    folder: outcome.folder,
    past: draft ? [...draft.past, draft.reels] : [],
    future: [],
    changedAt: outcome.at,
  });
}

/** Gives or changes the order, with the house rules and the recipes as they are now. @throws ApiError. */
export async function giveOrder(wished: Omit<StandingSettings, 'rules' | 'recipes'>): Promise<void> {
  await call('setStanding', { body: { settings: { ...wished, rules: await readRules(), recipes: await ownRecipes() } } });
}

/** @throws ApiError. */
export const endOrder = () => call('setStanding', { body: { settings: null } });

/** The last outcomes, the newest first. @throws ApiError. */
export async function lastOutcomes(seq: number): Promise<readonly StandingOutcome[]> {
  const { outcomes } = await call('standingOutcomes', { query: { after: String(Math.max(0, seq - OUTCOMES_PAGE)) } });
  return [...outcomes].reverse();
}
