import { canBeTaken, type Reading, type Segment, type Title } from '../reading';
import { findCuts, type Cut } from './cuts';
import { findDecoys } from './decoys';
import { evidence } from './evidence';
import { judgeCuts } from './main-cut';
import { SHORT_MS, type Evidence, type Findings, type TitleFinding } from './model';
import { relate, type Relations } from './relations';
import { conclude, type FindingContext } from './rules';
import { Scorer, isLost, shown, total } from './score';
import { isSeries, likeTitles } from './series';

/** A menu's still or loop: first reached through the disc's menus without any button, or standing still without end. */
function isMenuLoop(title: Title, reading: Reading, segments: ReadonlyMap<string, Segment>): boolean {
  const routes = reading.routes.filter((r) => r.title === title.number);
  const byMenuOnly = routes.length > 0 && routes.every((r) => r.by === 'play' && r.menus > 0);
  const still = title.parts.length > 0 && title.parts.every((p) => segments.get(p.segment)?.stillSeconds === null);
  return byMenuOnly || still;
}

const hurt = (title: Title): Evidence[] =>
  title.state === 'damaged' ? [evidence('damaged', 0, [], title.chapters.filter((c) => c.damaged).length)] : [];

interface Ranked {
  readonly title: Title;
  readonly points: number;
}

/** The works of a series: those that a play-all holds, or several of like length; none where the best title is a film. */
function episodesOf(longest: Ranked | undefined, candidates: readonly Title[], relations: Relations): readonly Title[] {
  if (!longest) return [];
  const inner = relations.playAlls.get(longest.title.number);
  if (inner) return isSeries(inner) ? inner : [];
  const loners = candidates.filter((t) => canBeTaken(t) && !relations.playAlls.has(t.number) && !relations.insideOf.has(t.number));
  const alike = likeTitles(loners);
  return alike.includes(longest.title) ? alike : [];
}

/** Of the best title and its other cuts, the one that the disc is about; length alone does not tell. */
function findMain(
  first: Title | undefined,
  candidates: readonly Title[],
  relations: Relations,
  reading: Reading,
  segments: ReadonlyMap<string, Segment>,
) {
  const rivals = (of: Title) => candidates.filter((t) => t !== of && canBeTaken(t) && !relations.insideOf.has(t.number));
  const near = first ? findCuts(first, rivals(first), segments) : new Map<number, Cut>();
  const judged = first && near.size > 0 ? judgeCuts([first, ...rivals(first).filter((t) => near.has(t.number))], reading) : null;
  const main = judged?.main ?? first;
  return { main, judged, cuts: main && main !== first ? findCuts(main, rivals(main), segments) : near };
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
  const ranked: Ranked[] = candidates
    .map((title) => ({ title, points: total(scored.get(title.number) ?? []) }))
    .sort((a, b) => b.points - a.points || a.title.number - b.title.number);
  const top = ranked[0];
  const longest = top && canBeTaken(top.title) ? top : undefined;
  const episodes = episodesOf(longest, candidates, relations);
  const { main, judged, cuts } = findMain(episodes.length > 0 ? undefined : longest?.title, candidates, relations, reading, segments);
  // Where works stand in a row, the best title stands for the disc all the same.
  const best = main ? ranked.find((r) => r.title === main) : longest;
  // Parts and other cuts of the best title do not compete with it.
  const rival = ranked.find((r) => r !== top && relations.insideOf.get(r.title.number) !== best?.title.number && !cuts.has(r.title.number));
  const context: FindingContext = {
    segments,
    titles: new Map(reading.titles.map((t) => [t.number, t])),
    relations,
    decoys,
    menus,
    scored,
    topPoints: top?.points ?? 0,
    rivalPoints: rival?.points ?? 0,
    mainPoints: best?.points ?? 0,
    main,
    judged,
    cuts,
    episodes,
  };
  const titles = reading.titles.map((title): TitleFinding => {
    const own = scored.get(title.number) ?? [];
    const { role, confidence, why, more } = conclude(title, context);
    return {
      title: title.number,
      role,
      confidence,
      score: Math.round(total(own)),
      evidence: [...why, ...hurt(title), ...shown(own)],
      differences: [],
      divisions: [],
      ...more,
    };
  });
  return {
    mainTitle: best?.title.number ?? null,
    outOfReach: top && !best ? top.title.number : null,
    kind: !candidates.some(canBeTaken) ? 'nothing usable' : episodes.length > 0 ? 'series' : 'film',
    titles,
  };
}
