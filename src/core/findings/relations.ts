import type { Title } from '../reading';
import { partKey } from './evidence';
import { COVERED_SHARE } from './model';

/** How titles stand to each other by their segments alone. */
export interface Relations {
  /** Titles that show the very same segments as an earlier one. */
  readonly duplicateOf: ReadonlyMap<number, number>;
  /** Those of them that were found by their content, under other addresses. */
  readonly sameContent: ReadonlySet<number>;
  /** Titles inside each play-all, in its order. */
  readonly playAlls: ReadonlyMap<number, readonly Title[]>;
  readonly insideOf: ReadonlyMap<number, number>;
}

export function relate(titles: readonly Title[]): Relations {
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
  const playAlls = new Map<number, readonly Title[]>();
  for (const outer of single) {
    const inner = inside.get(outer.number) ?? [];
    for (const t of inner) if (!insideOf.has(t.number)) insideOf.set(t.number, outer.number);
    const place = (t: Title) => (keys.get(outer.number) ?? '').indexOf(keys.get(t.number) ?? '');
    const covered = inner.reduce((sum, t) => sum + t.durationMs, 0);
    if (inner.length >= 2 && covered >= outer.durationMs * COVERED_SHARE)
      playAlls.set(
        outer.number,
        [...inner].sort((a, b) => place(a) - place(b)),
      );
  }
  return { duplicateOf, sameContent, playAlls, insideOf };
}
