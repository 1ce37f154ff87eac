import type { Reading, Segment, Title } from '../reading';
import { evidence, firstAngle } from './evidence';
import { certainty } from './score';
import { CONTINUOUS_90K, DECOY_GROUP, DECOY_WEIGHTS, OWN_SHARE, REPEATED_PARTS, type Evidence } from './model';

/** Titles that only pretend, and what gives them away. */
export interface Decoys {
  /** Evidence by title. */
  readonly found: ReadonlyMap<number, readonly Evidence[]>;
  /** Evidence for those that are the true ones of their group. */
  readonly genuine: ReadonlyMap<number, readonly Evidence[]>;
  /** How sure one is that those are the true ones, 0 to 1. */
  readonly sure: ReadonlyMap<number, number>;
}

/**
 * Share of joins between contents after which time runs on: 1 where the stamps of each part follow those of the one
 * before. Null where there is nothing to judge by.
 */
export function continuityOf(title: Title, segments: ReadonlyMap<string, Segment>): number | null {
  const own = firstAngle(title).map((id) => segments.get(id));
  let joins = 0;
  let smooth = 0;
  own.forEach((segment, i) => {
    const before = own[i - 1];
    if (segment?.kind !== 'clip' || before?.kind !== 'clip') return;
    joins++;
    if (Math.abs(segment.in90k - before.out90k) < CONTINUOUS_90K) smooth++;
  });
  return joins === 0 ? null : smooth / joins;
}

/** Share of a title's time that is not a repetition of what it has shown before. */
function ownShare(title: Title, segments: ReadonlyMap<string, Segment>): number {
  const seen = new Set<string>();
  let own = 0;
  let all = 0;
  for (const id of firstAngle(title)) {
    const ms = segments.get(id)?.durationMs ?? 0;
    all += ms;
    if (!seen.has(id)) own += ms;
    seen.add(id);
  }
  return all > 0 ? own / all : 1;
}

/** Chapter marks that fall on the beginning of a part, as an author's do. */
const chapterScore = (title: Title, most: number) => (most > 0 ? title.chapters.length / most : 0);

/**
 * Finds decoys: groups of titles that show the same material in ever different order, of which one is true, and titles
 * that repeat a little material over and over. The true one is told by where navigation leads, by time stamps that run
 * on from part to part, and by its chapter marks.
 */
export function findDecoys(titles: readonly Title[], reading: Reading, segments: ReadonlyMap<string, Segment>): Decoys {
  const found = new Map<number, readonly Evidence[]>();
  const genuine = new Map<number, readonly Evidence[]>();
  const sure = new Map<number, number>();
  const groups = new Map<string, Title[]>();
  for (const title of titles) {
    const parts = firstAngle(title);
    const share = parts.length >= REPEATED_PARTS ? ownShare(title, segments) : 1;
    if (share < OWN_SHARE) {
      found.set(title.number, [evidence('repeats itself', 0, [], Math.round(100 * (1 - share)))]);
      continue;
    }
    if (parts.length < 3) continue;
    const key = [...new Set(parts)].sort().join(' ');
    groups.set(key, [...(groups.get(key) ?? []), title]);
  }
  const played = new Set(reading.routes.filter((r) => r.by !== 'button').map((r) => r.title));
  for (const group of groups.values()) {
    if (group.length < DECOY_GROUP) continue;
    const most = Math.max(...group.map((t) => t.chapters.length));
    const judged = group
      .map((title) => {
        const continuity = continuityOf(title, segments) ?? 0;
        const routed = played.has(title.number);
        const points =
          (routed ? DECOY_WEIGHTS.route : 0) + DECOY_WEIGHTS.continuity * continuity + DECOY_WEIGHTS.chapters * chapterScore(title, most);
        return { title, continuity, points };
      })
      .sort((a, b) => b.points - a.points || a.title.number - b.title.number);
    const best = judged[0];
    if (!best) continue;
    sure.set(best.title.number, certainty(best.points, judged[1]?.points ?? 0));
    const percent = (share: number) => Math.round(100 * share);
    genuine.set(best.title.number, [
      evidence(
        'true order',
        0,
        group.filter((t) => t !== best.title).map((t) => t.number),
        group.length - 1,
      ),
      ...(best.continuity > 0 ? [evidence('time runs on', 0, [], percent(best.continuity))] : []),
    ]);
    for (const { title, continuity } of judged.slice(1))
      found.set(title.number, [evidence('shuffled', 0, [best.title.number]), evidence('time jumps', 0, [], percent(1 - continuity))]);
  }
  return { found, genuine, sure };
}
