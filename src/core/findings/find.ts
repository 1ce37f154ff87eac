import type { Reading, Title } from '../reading';
import {
  COVERED_SHARE,
  LIKE_LENGTH_SHARE,
  SHORT_MS,
  WEIGHTS,
  type Evidence,
  type EvidenceKind,
  type Findings,
  type Role,
  type TitleFinding,
} from './model';

const evidence = (kind: EvidenceKind, points = 0, titles: readonly number[] = [], value: number | null = null): Evidence => ({
  kind,
  points,
  titles,
  value,
});
const partKey = (title: Title) => title.parts.map((p) => p.segment).join(' ');

/** True where the segments of `inner` stand in `outer` one after the other. */
function contains(outer: Title, inner: Title): boolean {
  return inner.parts.length < outer.parts.length && ` ${partKey(outer)} `.includes(` ${partKey(inner)} `);
}

interface Relations {
  readonly duplicateOf: ReadonlyMap<number, number>;
  /** Titles inside each play-all, in its order. */
  readonly playAlls: ReadonlyMap<number, readonly Title[]>;
  readonly insideOf: ReadonlyMap<number, number>;
}

function relate(titles: readonly Title[]): Relations {
  const duplicateOf = new Map<number, number>();
  const firstByKey = new Map<string, number>();
  for (const title of titles) {
    const key = partKey(title);
    const first = firstByKey.get(key);
    if (first === undefined) firstByKey.set(key, title.number);
    else duplicateOf.set(title.number, first);
  }
  const single = titles.filter((t) => !duplicateOf.has(t.number));
  const playAlls = new Map<number, readonly Title[]>();
  const insideOf = new Map<number, number>();
  for (const outer of single) {
    const inner = single.filter((t) => t !== outer && contains(outer, t));
    for (const t of inner) insideOf.set(t.number, insideOf.get(t.number) ?? outer.number);
    const place = (t: Title) => partKey(outer).indexOf(partKey(t));
    const covered = inner.reduce((sum, t) => sum + t.durationMs, 0);
    if (inner.length >= 2 && covered >= outer.durationMs * COVERED_SHARE)
      playAlls.set(
        outer.number,
        [...inner].sort((a, b) => place(a) - place(b)),
      );
  }
  return { duplicateOf, playAlls, insideOf };
}

const ratio = (value: number, most: number) => (most > 0 ? value / most : 0);

/** Scores a title by the table of weights. */
function score(title: Title, all: readonly Title[], reading: Reading): Evidence[] {
  const most = (of: (t: Title) => number) => Math.max(...all.map(of));
  const found: Evidence[] = [];
  const share = ratio(
    title.durationMs,
    most((t) => t.durationMs),
  );
  found.push(evidence(share === 1 ? 'longest' : 'share of longest', WEIGHTS.duration * share, [], Math.round(share * 100)));
  const add = (kind: EvidenceKind, weight: number, of: (t: Title) => number) => {
    const part = ratio(of(title), most(of));
    if (part === 1 && all.some((t) => of(t) < of(title))) found.push(evidence(kind, weight, [], of(title)));
    else if (part > 0) found.push(evidence(kind, weight * part, [], null));
  };
  add('most bytes', WEIGHTS.bytes, (t) => t.sizeBytes);
  add('most chapters', WEIGHTS.chapters, (t) => t.chapters.length);
  add('most audio', WEIGHTS.audio, (t) => t.audio.length);
  add('most subtitles', WEIGHTS.subtitles, (t) => t.subtitles.length);
  const routes = reading.routes.filter((r) => r.title === title.number);
  const route = routes.find((r) => r.by === 'play') ?? routes[0];
  if (!route) {
    if (reading.routes.length > 0) found.push(evidence('no route'));
  } else if (route.by === 'play') found.push(evidence('first play', WEIGHTS.firstPlay));
  else if (route.selected && route.menus === 1) found.push(evidence('menu selects', WEIGHTS.menuSelects, [], route.button));
  else found.push(evidence('menu offers', WEIGHTS.menuOffers, [], route.button));
  return found;
}

const total = (list: readonly Evidence[]) => list.reduce((sum, e) => sum + e.points, 0);
/** Only what says something is shown: a shared maximum gives points but is no evidence. */
const shown = (list: readonly Evidence[]) =>
  list.filter((e) => e.points === 0 || e.value !== null || e.kind === 'first play').sort((a, b) => b.points - a.points);

/** How sure one is of the first of two scores. Equal: a coin; a third of it or less: as good as certain. */
function certainty(best: number, second: number): number {
  return best <= 0 ? 0 : 1 - 0.5 * (second / best) ** 3;
}

/**
 * Concludes from a reading what its titles are. Works on data alone: no disc is touched.
 * @returns a finding for every title, with its evidence.
 */
export function findRoles(reading: Reading): Findings {
  const usable = reading.titles.filter((t) => t.state === 'usable');
  const relations = relate(usable);
  // What can not be taken is ranked all the same: the best of the rest is not the disc's main title.
  const candidates = reading.titles.filter((t) => !relations.duplicateOf.has(t.number) && t.durationMs >= SHORT_MS);
  const ranked = candidates
    .map((title) => ({ title, list: score(title, candidates, reading) }))
    .sort((a, b) => total(b.list) - total(a.list) || a.title.number - b.title.number);
  const top = ranked[0];
  const best = top?.title.state === 'usable' ? top : undefined;
  const playAll = best ? relations.playAlls.get(best.title.number) : undefined;
  const episodes = playAll && isSeries(playAll) ? playAll : [];
  // Parts of the best title do not compete with it.
  const rival = ranked.find((r) => r !== top && relations.insideOf.get(r.title.number) !== best?.title.number);
  const findings = reading.titles.map((title): TitleFinding => {
    const scored = ranked.find((r) => r.title === title);
    const points = Math.round(total(scored?.list ?? []));
    const make = (role: Role, confidence: number, first: readonly Evidence[]): TitleFinding => ({
      title: title.number,
      role,
      confidence,
      score: points,
      evidence: [...first, ...shown(scored?.list ?? [])],
    });
    if (title.state !== 'usable') return make('unusable', 1, [evidence(title.state === 'scrambled' ? 'protected' : title.state)]);
    const twin = relations.duplicateOf.get(title.number);
    if (twin !== undefined) return make('duplicate', 1, [evidence('same segments', 0, [twin])]);
    if (title.durationMs < SHORT_MS) return make('short', 0.9, [evidence('very short', 0, [], title.durationMs)]);
    const inner = relations.playAlls.get(title.number);
    if (inner) {
      const numbers = inner.map((t) => t.number);
      return make('play-all', 0.97, [
        evidence('contains', 0, numbers, Math.round((100 * inner.reduce((s, t) => s + t.durationMs, 0)) / title.durationMs)),
      ]);
    }
    const outer = relations.insideOf.get(title.number);
    if (episodes.includes(title))
      return make('episode', 0.93, [
        evidence('contained in', 0, outer === undefined ? [] : [outer], episodes.indexOf(title) + 1),
        evidence(
          'like length',
          0,
          episodes.map((t) => t.number),
        ),
      ]);
    if (title === best?.title) return make('main', certainty(total(best.list), total(rival?.list ?? [])), []);
    if (outer !== undefined) return make('part', 0.95, [evidence('contained in', 0, [outer])]);
    return make('extra', 0.5 + 0.5 * certainty(total(top?.list ?? []), points), []);
  });
  return {
    mainTitle: best?.title.number ?? null,
    outOfReach: top && !best ? top.title.number : null,
    kind: !candidates.some((t) => t.state === 'usable') ? 'nothing usable' : episodes.length > 0 ? 'series' : 'film',
    titles: findings,
  };
}

function isSeries(parts: readonly Title[]): boolean {
  const durations = parts.map((t) => t.durationMs);
  return parts.length >= 2 && Math.min(...durations) >= Math.max(...durations) * LIKE_LENGTH_SHARE;
}
