import type { Segment, Title } from '../reading';
import { firstAngle, partKey } from './evidence';
import { COPY_SLACK_MS, COPY_SLACK_SHARE, COVERED_SHARE } from './model';

/** How titles stand to each other by their segments alone. */
export interface Relations {
  /** Titles that show the very same segments as an earlier one. */
  readonly duplicateOf: ReadonlyMap<number, number>;
  /** Those of them that were found by their content, under other addresses. */
  readonly sameContent: ReadonlySet<number>;
  /** Titles inside each play-all, in its order. */
  readonly playAlls: ReadonlyMap<number, readonly Title[]>;
  readonly insideOf: ReadonlyMap<number, number>;
  /** Play-alls whose material is that of their titles once more, under other addresses. */
  readonly copied: ReadonlySet<number>;
}

/** More titles than this are not held against each other cell by cell. */
const MOST_SHAPED = 120;
/** Shorter ones are too alike to be told apart by their lengths. */
const LEAST_COPIED_MS = 60_000;

type Shape = readonly { readonly ms: number; readonly sectors: number }[];

const alike = (a: Shape[number], b: Shape[number]) =>
  Math.abs(a.ms - b.ms) <= COPY_SLACK_MS && Math.abs(a.sectors - b.sectors) <= Math.max(a.sectors, b.sectors) * COPY_SLACK_SHARE + 1;

/** Where the parts of one shape stand in another, one after the other; -1 where they do not. */
function placeIn(outer: Shape, inner: Shape): number {
  for (let at = 0; at + inner.length <= outer.length; at++)
    if (inner.every((part, i) => alike(part, outer[at + i] as Shape[number]))) return at;
  return -1;
}

export function relate(titles: readonly Title[], segments: ReadonlyMap<string, Segment>): Relations {
  const duplicateOf = new Map<number, number>();
  const sameContent = new Set<number>();
  const firstByKey = new Map<string, number>();
  const firstBySample = new Map<string, number>();
  const keys = new Map(titles.map((t) => [t.number, ` ${partKey(t)} `]));
  for (const title of titles) {
    const key = keys.get(title.number) ?? '';
    const same = firstByKey.get(key);
    const sample = title.sample === null ? undefined : firstBySample.get(title.sample);
    if (same !== undefined) duplicateOf.set(title.number, same);
    else if (sample !== undefined) {
      duplicateOf.set(title.number, sample);
      sameContent.add(title.number);
    } else {
      firstByKey.set(key, title.number);
      if (title.sample !== null) firstBySample.set(title.sample, title.number);
    }
  }
  const single = titles.filter((t) => !duplicateOf.has(t.number));
  // Only titles that show an inner one's first segment can hold it: on discs with a thousand titles that matters.
  const users = new Map<string, Title[]>();
  for (const title of single) {
    for (const segment of new Set(title.parts.map((p) => p.segment))) users.set(segment, [...(users.get(segment) ?? []), title]);
  }
  const inside = new Map<number, Title[]>();
  const insideOf = new Map<number, number>();
  for (const inner of single) {
    const key = keys.get(inner.number) ?? '';
    for (const outer of users.get(inner.parts[0]?.segment ?? '') ?? []) {
      if (inner.parts.length >= outer.parts.length || !(keys.get(outer.number) ?? '').includes(key)) continue;
      inside.set(outer.number, [...(inside.get(outer.number) ?? []), inner]);
    }
  }
  const shapes = new Map(
    single.map((title): [number, Shape] => [
      title.number,
      firstAngle(title).map((id) => {
        const segment = segments.get(id);
        return { ms: segment?.durationMs ?? 0, sectors: segment ? segment.lastSector - segment.firstSector + 1 : 0 };
      }),
    ]),
  );
  const copied = new Set<number>();
  const places = new Map<string, number>();
  const placeOf = (outer: Title, t: Title) =>
    places.get(`${outer.number}/${t.number}`) ?? (keys.get(outer.number) ?? '').indexOf(keys.get(t.number) ?? '');
  if (single.length <= MOST_SHAPED) {
    for (const outer of single) {
      if (inside.has(outer.number)) continue;
      const copies = single.filter((inner) => {
        if (inner === outer || inner.durationMs >= outer.durationMs || inner.durationMs < LEAST_COPIED_MS) return false;
        const at = placeIn(shapes.get(outer.number) ?? [], shapes.get(inner.number) ?? []);
        if (at >= 0) places.set(`${outer.number}/${inner.number}`, at);
        return at >= 0;
      });
      const covered = copies.reduce((sum, t) => sum + t.durationMs, 0);
      if (copies.length < 2 || covered < outer.durationMs * COVERED_SHARE) continue;
      copied.add(outer.number);
      inside.set(outer.number, copies);
    }
  }
  const playAlls = new Map<number, readonly Title[]>();
  // From the shortest on: what a play-all holds that is one itself is not a part, but some of its parts once more.
  for (const outer of [...single].sort((a, b) => a.durationMs - b.durationMs)) {
    const inner = (inside.get(outer.number) ?? []).filter((t) => !playAlls.has(t.number));
    for (const t of inner) if (!insideOf.has(t.number)) insideOf.set(t.number, outer.number);
    const covered = inner.reduce((sum, t) => sum + t.durationMs, 0);
    if (inner.length >= 2 && covered >= outer.durationMs * COVERED_SHARE)
      playAlls.set(
        outer.number,
        [...inner].sort((a, b) => placeOf(outer, a) - placeOf(outer, b)),
      );
  }
  return { duplicateOf, sameContent, playAlls, insideOf, copied };
}
