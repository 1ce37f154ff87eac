import type { Segment, Title } from '../reading';
import { firstAngle } from './evidence';
import { LEAST_EPISODES, LIKE_EPISODE_SHARE, LIKE_LENGTH_SHARE } from './model';

/** Parts of a play-all that are works of like length: a series. */
export function isSeries(parts: readonly Title[]): boolean {
  const durations = parts.map((t) => t.durationMs);
  return parts.length >= 2 && Math.min(...durations) >= Math.max(...durations) * LIKE_LENGTH_SHARE;
}

/**
 * Episodes without a play-all: the longest titles of a disc, where at least three are of like length and share nothing.
 * @param titles candidates that are not duplicates, decoys or parts of others. @returns them in the disc's order, or none.
 */
export function likeTitles(titles: readonly Title[]): readonly Title[] {
  const longest = Math.max(0, ...titles.map((t) => t.durationMs));
  const like = titles.filter((t) => t.durationMs >= longest * LIKE_EPISODE_SHARE);
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
    const key = segment.kind === 'cell' ? `${segment.content}/${String(segment.vobId)}` : segment.content;
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
