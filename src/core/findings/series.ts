import type { Segment, Title } from '../reading';
import { firstAngle } from './evidence';
import { LARGEST_PART_SHARE, LEAST_EPISODES, LIKE_EPISODE_SHARE, LIKE_LENGTH_SHARE, MULTIPLE_SLACK } from './model';

const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor((values.length - 1) / 2)] ?? 0;

/** Lengths that are whole numbers of one of them: episodes, and double ones among them. */
function areMultiples(durations: readonly number[]): boolean {
  const one = median(durations);
  return durations.every((ms) => Math.round(ms / one) >= 1 && Math.abs(ms / one - Math.round(ms / one)) <= MULTIPLE_SLACK);
}

/** Parts of a play-all that are works in a row: of like length, or some of them as long as two. */
export function isSeries(parts: readonly Title[]): boolean {
  const durations = parts.map((t) => t.durationMs);
  if (parts.length < 2) return false;
  const [least, most] = [Math.min(...durations), Math.max(...durations)];
  if (least >= most * LIKE_LENGTH_SHARE) return true;
  const total = durations.reduce((sum, ms) => sum + ms, 0);
  return parts.length >= LEAST_EPISODES && most <= total * LARGEST_PART_SHARE && areMultiples(durations);
}

/**
 * Episodes without a play-all: the longest titles of a disc, where at least three are of like length and share nothing.
 * @param titles candidates that are not duplicates, decoys or parts of others. @returns them in the disc's order, or none.
 */
export function likeTitles(titles: readonly Title[]): readonly Title[] {
  const longest = Math.max(0, ...titles.map((t) => t.durationMs));
  const near = titles.filter((t) => t.durationMs >= longest * LIKE_EPISODE_SHARE);
  // A double episode is the longest there is, and the others are like each other.
  const half = titles.filter((t) => t.durationMs >= (longest / 2) * LIKE_EPISODE_SHARE);
  const like = near.length < LEAST_EPISODES && half.length > LEAST_EPISODES && areMultiples(half.map((t) => t.durationMs)) ? half : near;
  const used = new Set<string>();
  for (const title of like) {
    for (const segment of new Set(firstAngle(title))) {
      if (used.has(segment)) return []; // shared material: cuts of one work, not works of a series
      used.add(segment);
    }
  }
  return like.length >= LEAST_EPISODES ? like : [];
}

/**
 * Chapters with which a long title's works begin, where it seems to be several in a row: its material stands in at least
 * three contents of like length (program chains' VOBs, clips), each begun by a chapter.
 */
export function divisionsOf(title: Title, segments: ReadonlyMap<string, Segment>): readonly number[] {
  const runs: { key: string; ms: number; firstPart: number }[] = [];
  title.parts.forEach((part, i) => {
    const segment = segments.get(part.segment);
    if (!segment || (part.angle !== null && part.angle !== 1)) return;
    const key = segment.kind === 'cell' ? `${segment.content}/${segment.vobId}` : segment.content;
    const last = runs[runs.length - 1];
    if (last?.key === key) last.ms += segment.durationMs;
    else runs.push({ key, ms: segment.durationMs, firstPart: i });
  });
  const lengths = runs.map((r) => r.ms);
  if (runs.length < LEAST_EPISODES || new Set(runs.map((r) => r.key)).size !== runs.length) return [];
  if (Math.min(...lengths) < Math.max(...lengths) * LIKE_EPISODE_SHARE) return [];
  const chapters = runs.map((run) => title.chapters.find((c) => c.firstPart === run.firstPart)?.number);
  return chapters.every((c) => c !== undefined) ? chapters : [];
}
