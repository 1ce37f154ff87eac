import { SECTOR_BYTES } from '../../volume';
import { gapsBetween } from '../loose';
import type { ClipSegment, LooseStretch, Title } from '../model';
import type { ClipPlace } from './clip-segments';

/** Clips that no playlist names, and long stretches of clips that none shows. */
export function looseStretches(
  clips: ReadonlyMap<string, ClipPlace>,
  segments: readonly ClipSegment[],
  titles: readonly Title[],
): LooseStretch[] {
  const companions = new Set(
    titles.flatMap((t) => [
      ...t.parts.map((p) => p.companion),
      ...t.audio.flatMap((a) => a.apart?.map((run) => run.clip) ?? []),
      ...t.subtitles.map((a) => a.apart?.clip ?? null),
    ]),
  );
  const byClip = new Map<string, { first: number; last: number }[]>();
  for (const s of segments) byClip.set(s.content, [...(byClip.get(s.content) ?? []), { first: s.firstSector, last: s.lastSector }]);
  return [...clips.values()].flatMap((clip) => {
    if (clip.sizeBytes === 0 || companions.has(clip.name)) return [];
    const sectors = Math.ceil(clip.sizeBytes / SECTOR_BYTES);
    return gapsBetween(byClip.get(clip.name) ?? [], sectors).map(({ first, last }) => {
      const whole = clip.info ? (clip.info.end45k - clip.info.start45k) / 45 : null;
      return {
        id: `${clip.name}/loose@${first}-${last}`,
        content: clip.name,
        firstSector: first,
        lastSector: last,
        discSector: clip.discSector + first,
        durationMs: whole === null || whole < 0 ? null : Math.round((whole * (last - first + 1)) / sectors),
        chain: null,
      };
    });
  });
}
