import type { ReelTags } from '@/core/reels';
import type { Catalogue, DiscRecord, DraftReel } from './db';
import { proposalOf } from './draft';
import { readRules } from './rules';

/** What the archive says of a disc. */
export interface DiscFacts {
  readonly name: string;
  readonly tags: ReelTags;
  readonly firstEpisode: number | null;
  readonly labels: readonly string[];
}

/** Number with which a series goes on: one more than the last episode on any other disc of it. */
export async function nextEpisode(db: Catalogue, fingerprint: string, series: string, season: number | null): Promise<number> {
  if (series === '') return 1;
  const others = await db.discs
    .filter((d) => d.fingerprint !== fingerprint && d.tags.series === series && d.tags.season === season)
    .toArray();
  const last = others.map((d) => (d.firstEpisode ?? 1) + d.findings.titles.filter((f) => f.role === 'episode').length - 1);
  return Math.max(0, ...last) + 1;
}

/** Keeps what is said of a disc. @returns the disc as it is now. */
export async function saveFacts(db: Catalogue, disc: DiscRecord, facts: DiscFacts): Promise<DiscRecord> {
  const tags = { ...facts.tags, work: facts.name.trim() === disc.name ? facts.tags.work : facts.name.trim() };
  const next: DiscRecord = { ...disc, ...facts, tags, name: facts.name.trim() || disc.name };
  await db.discs.put(next);
  return next;
}

/**
 * Gives reels that are not on the queue what is now known of their disc. A name that the user has changed stays.
 * @param before the disc as it was when the reels were proposed.
 */
export async function reelsWithFacts(reels: readonly DraftReel[], before: DiscRecord, now: DiscRecord): Promise<DraftReel[]> {
  const rules = await readRules();
  const [old, fresh] = [proposalOf(before, rules).reels, proposalOf(now, rules).reels];
  return reels.map((draft) => {
    const title = draft.reel.pieces[0]?.title;
    const proposed = fresh.find((r) => r.pieces[0]?.title === title);
    const earlier = old.find((r) => r.pieces[0]?.title === title);
    if (draft.jobId !== null) return draft;
    const tags = proposed?.tags ?? { ...now.tags, work: '' };
    const name = proposed && earlier?.name === draft.reel.name ? proposed.name : draft.reel.name;
    return { ...draft, reel: { ...draft.reel, name, tags: { ...tags, cover: draft.reel.tags?.cover ?? now.tags.cover } } };
  });
}
