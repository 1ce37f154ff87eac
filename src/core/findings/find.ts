import type { Reading, Segment, Title } from '../reading';
import { compareTitles } from './compare';
import { continuityOf, findDecoys } from './decoys';
import { evidence } from './evidence';
import {
  CUT_SHARE,
  FEATURE_MS,
  FEATURE_SHARE,
  SHORT_MS,
  type Difference,
  type Evidence,
  type Findings,
  type Role,
  type TitleFinding,
} from './model';
import { judgeCuts } from './main-cut';
import { relate } from './relations';
import { Scorer, certainty, isLost, shown, total } from './score';
import { divisionsOf, isSeries, likeTitles } from './series';

/** More titles than this are not compared with the main one segment by segment. */
const MOST_COMPARED = 200;

/** A menu's still or loop: first reached through the disc's menus without any button, or standing still without end. */
function isMenuLoop(title: Title, reading: Reading, segments: ReadonlyMap<string, Segment>): boolean {
  const routes = reading.routes.filter((r) => r.title === title.number);
  const byMenuOnly = routes.length > 0 && routes.every((r) => r.by === 'play' && r.menus > 0);
  const still = title.parts.length > 0 && title.parts.every((p) => segments.get(p.segment)?.stillSeconds === null);
  return byMenuOnly || still;
}

/** At least in part. */
const canBeTaken = (title: Title) => title.state === 'usable' || title.state === 'damaged';

const hurt = (title: Title): Evidence[] =>
  title.state === 'damaged' ? [evidence('damaged', 0, [], title.chapters.filter((c) => c.damaged).length)] : [];

const tracksOf = (title: Title) =>
  JSON.stringify([
    title.video.secondView !== null,
    title.audio.map((a) => [a.codec, a.language, a.purpose]),
    title.subtitles.map((s) => [s.codec, s.language]),
  ]);

interface Cut {
  readonly sharedMs: number;
  readonly differences: readonly Difference[];
}

/** Titles that share most of the main one's material in the same order, and have some of their own. */
function findCuts(main: Title, others: readonly Title[], segments: ReadonlyMap<string, Segment>): Map<number, Cut> {
  const cuts = new Map<number, Cut>();
  const own = new Set(main.parts.map((p) => p.segment));
  const near = others.filter((t) => t.parts.some((p) => own.has(p.segment)));
  for (const title of near.slice(0, MOST_COMPARED)) {
    const { sharedMs, differences } = compareTitles(title, main, segments);
    const longer = Math.max(title.durationMs, main.durationMs);
    if (differences.length > 0 && sharedMs >= longer * CUT_SHARE) cuts.set(title.number, { sharedMs, differences });
  }
  return cuts;
}

/** Long enough to be a film of its own, and nothing of it is in the main title. */
function isAnotherFilm(title: Title, main: Title): boolean {
  const own = new Set(main.parts.map((p) => p.segment));
  const apart = !title.parts.some((p) => own.has(p.segment));
  return apart && title.durationMs >= FEATURE_MS && title.durationMs >= main.durationMs * FEATURE_SHARE;
}

/**
 * Concludes from a reading what its titles are. Works on data alone: no disc is touched.
 * @returns a finding for every title, with its evidence.
 */
export function findRoles(reading: Reading): Findings {
  const segments = new Map(reading.segments.map((s) => [s.id, s]));
  const usable = reading.titles.filter((t) => canBeTaken(t) && t.over === null);
  const relations = relate(usable, segments);
  const single = usable.filter((t) => !relations.duplicateOf.has(t.number) && t.durationMs >= SHORT_MS);
  const menus = new Set(single.filter((t) => isMenuLoop(t, reading, segments)).map((t) => t.number));
  const decoys = findDecoys(single, reading, segments);
  // What can not be taken is ranked all the same: the best of the rest is not the disc's main title.
  const candidates = reading.titles.filter(
    (t) =>
      t.over === null &&
      !relations.duplicateOf.has(t.number) &&
      (t.durationMs >= SHORT_MS || isLost(t)) &&
      !menus.has(t.number) &&
      !decoys.found.has(t.number),
  );
  const scorer = new Scorer(candidates, reading);
  const scored = new Map(candidates.map((title) => [title.number, scorer.score(title)]));
  const ranked = candidates
    .map((title) => ({ title, points: total(scored.get(title.number) ?? []) }))
    .sort((a, b) => b.points - a.points || a.title.number - b.title.number);
  const top = ranked[0];
  const longest = top && canBeTaken(top.title) ? top : undefined;
  const playAll = longest ? relations.playAlls.get(longest.title.number) : undefined;
  const loners = candidates.filter((t) => canBeTaken(t) && !relations.playAlls.has(t.number) && !relations.insideOf.has(t.number));
  const rows = playAll && isSeries(playAll) ? playAll : playAll || !longest ? [] : likeTitles(loners);
  const episodes = longest && (playAll || rows.includes(longest.title)) ? rows : [];
  const isEpisode = new Set(episodes);
  const first = episodes.length > 0 ? undefined : longest?.title;
  const rivals = (of: Title) => candidates.filter((t) => t !== of && canBeTaken(t) && !relations.insideOf.has(t.number));
  const near = first ? findCuts(first, rivals(first), segments) : new Map<number, Cut>();
  // Length alone does not tell which of several cuts the disc is about.
  const judged = first && near.size > 0 ? judgeCuts([first, ...rivals(first).filter((t) => near.has(t.number))], reading) : null;
  const main = judged?.main ?? first;
  const best = main === first ? longest : ranked.find((r) => r.title === main);
  const cuts = main && main !== first ? findCuts(main, rivals(main), segments) : near;
  // Parts and other cuts of the best title do not compete with it.
  const rival = ranked.find((r) => r !== top && relations.insideOf.get(r.title.number) !== best?.title.number && !cuts.has(r.title.number));
  const byNumber = new Map(reading.titles.map((t) => [t.number, t]));

  const findings = reading.titles.map((title): TitleFinding => {
    const own = scored.get(title.number) ?? [];
    const points = Math.round(total(own));
    const make = (role: Role, confidence: number, first: readonly Evidence[], more: Partial<TitleFinding> = {}): TitleFinding => ({
      title: title.number,
      role,
      confidence,
      score: points,
      evidence: [...first, ...hurt(title), ...shown(own)],
      differences: [],
      divisions: [],
      ...more,
    });
    if (!canBeTaken(title))
      return make('unusable', 1, [
        evidence(title.state === 'scrambled' ? 'protected' : title.state === 'cut short' ? 'cut short' : 'unreadable'),
      ]);
    if (title.over !== null) return make('extra', 0.97, [evidence('laid over', 0, [title.over])]);
    const twin = relations.duplicateOf.get(title.number);
    if (twin !== undefined) {
      const other = byNumber.get(twin);
      const kind = relations.sameContent.has(title.number) ? 'same content' : 'same segments';
      const pretends = decoys.found.get(twin);
      if (pretends) return make('decoy', 0.95, [evidence(kind, 0, [twin]), ...pretends]);
      if (other && tracksOf(other) !== tracksOf(title))
        return make('version', 0.9, [evidence(kind, 0, [twin]), evidence('other tracks', 0, [twin])]);
      return make('duplicate', kind === 'same segments' ? 1 : 0.95, [evidence(kind, 0, [twin])]);
    }
    if (title.durationMs < SHORT_MS) return make('short', 0.9, [evidence('very short', 0, [], title.durationMs)]);
    const decoy = decoys.found.get(title.number);
    if (decoy) return make('decoy', 0.95, decoy);
    const inner = relations.playAlls.get(title.number);
    if (inner) {
      const covered = inner.reduce((s, t) => s + t.durationMs, 0);
      const numbers = inner.map((t) => t.number);
      const share = Math.round((100 * covered) / title.durationMs);
      const kind = relations.copied.has(title.number) ? 'copies of' : 'contains';
      return make('play-all', kind === 'contains' ? 0.97 : 0.9, [evidence(kind, 0, numbers, share)]);
    }
    const outer = relations.insideOf.get(title.number);
    if (isEpisode.has(title)) {
      const place = evidence('contained in', 0, outer === undefined ? [] : [outer], episodes.indexOf(title) + 1);
      const like = evidence(
        'like length',
        0,
        episodes.map((t) => t.number),
        outer === undefined ? episodes.indexOf(title) + 1 : null,
      );
      return make('episode', outer === undefined ? 0.75 : 0.93, outer === undefined ? [like] : [place, like]);
    }
    if (title === main) {
      // One work that stands in several clips runs on in time; works in a row each have a clock of their own.
      const runsOn = (continuityOf(title, segments) ?? 0) > 0.5;
      const divisions = runsOn ? [] : divisionsOf(title, segments);
      const why = [
        ...(decoys.genuine.get(title.number) ?? []),
        ...(divisions.length > 0 ? [evidence('divides', 0, [], divisions.length)] : []),
      ];
      const among = certainty(best?.points ?? 0, rival?.points ?? 0) * (decoys.sure.get(title.number) ?? 1);
      const even = judged && judged.even.length > 0 ? [evidence('even cuts', 0, judged.even)] : [];
      return make('main', among * (judged?.sure ?? 1), [...even, ...why], { divisions });
    }
    const cut = main && cuts.get(title.number);
    if (main && cut) {
      const shared = evidence('shares', 0, [main.number], Math.round((100 * cut.sharedMs) / Math.max(1, main.durationMs)));
      const even = judged?.even.includes(title.number) ? [evidence('even cuts', 0, [main.number])] : [];
      return make('cut', 0.9, [...even, shared, evidence('longer by', 0, [main.number], title.durationMs - main.durationMs)], {
        differences: cut.differences,
      });
    }
    if (outer !== undefined) return make('part', 0.95, [evidence('contained in', 0, [outer])]);
    if (menus.has(title.number)) return make('menu', 0.85, [evidence('menu loop')]);
    if (main && isAnotherFilm(title, main))
      return make('feature', 0.5 + 0.5 * certainty(points, 50), [evidence('another film', 0, [main.number])]);
    return make('extra', 0.5 + 0.5 * certainty(top?.points ?? 0, points), []);
  });
  return {
    mainTitle: best?.title.number ?? null,
    outOfReach: top && !best ? top.title.number : null,
    kind: !candidates.some(canBeTaken) ? 'nothing usable' : episodes.length > 0 ? 'series' : 'film',
    titles: findings,
  };
}
