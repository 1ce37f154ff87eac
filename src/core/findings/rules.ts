import { canBeTaken, type Segment, type Title } from '../reading';
import type { Cut } from './cuts';
import { continuityOf, type Decoys } from './decoys';
import { evidence } from './evidence';
import type { JudgedCuts } from './main-cut';
import { FEATURE_MS, FEATURE_SHARE, SHORT_MS, type Evidence, type Role, type TitleFinding } from './model';
import type { Relations } from './relations';
import { certainty, total } from './score';
import { divisionsOf } from './series';

/** What is known of the whole disc when its titles are judged one by one. */
export interface FindingContext {
  readonly segments: ReadonlyMap<string, Segment>;
  readonly titles: ReadonlyMap<number, Title>;
  readonly relations: Relations;
  readonly decoys: Decoys;
  /** Titles that are menus or loops of them. */
  readonly menus: ReadonlySet<number>;
  /** Evidence that counted for or against a title, where it was ranked. */
  readonly scored: ReadonlyMap<number, readonly Evidence[]>;
  /** Points of the best of all, and of the best of those that compete with the main title. */
  readonly topPoints: number;
  readonly rivalPoints: number;
  readonly mainPoints: number;
  readonly main: Title | undefined;
  /** How the main title was told from its other cuts; null where there were none. */
  readonly judged: JudgedCuts | null;
  readonly cuts: ReadonlyMap<number, Cut>;
  /** Works of a series, in their order. */
  readonly episodes: readonly Title[];
}

/** What a rule concludes of a title: evidence that decided comes before what only counted. */
export interface Conclusion {
  readonly role: Role;
  /** 0 to 1. */
  readonly confidence: number;
  readonly why: readonly Evidence[];
  readonly more?: Partial<Pick<TitleFinding, 'differences' | 'divisions'>>;
}

/** One reason for which a title is something; null where it has nothing to say. */
type Rule = (title: Title, context: FindingContext) => Conclusion | null;

const tracksOf = (title: Title) =>
  JSON.stringify([
    title.video.secondView !== null,
    title.audio.map((a) => [a.codec, a.language, a.purpose]),
    title.subtitles.map((s) => [s.codec, s.language]),
  ]);

/** Long enough to be a film of its own, and nothing of it is in the main title. */
function isAnotherFilm(title: Title, main: Title): boolean {
  const own = new Set(main.parts.map((p) => p.segment));
  const apart = !title.parts.some((p) => own.has(p.segment));
  return apart && title.durationMs >= FEATURE_MS && title.durationMs >= main.durationMs * FEATURE_SHARE;
}

const unusable: Rule = (title) => {
  if (canBeTaken(title)) return null;
  const why = title.state === 'scrambled' ? 'protected' : title.state === 'cut short' ? 'cut short' : 'unreadable';
  return { role: 'unusable', confidence: 1, why: [evidence(why)] };
};

const laidOver: Rule = (title) =>
  title.over === null ? null : { role: 'extra', confidence: 0.97, why: [evidence('laid over', 0, [title.over])] };

/** The same once more: as a decoy, with other tracks, or for nothing. */
const twin: Rule = (title, { relations, decoys, titles }) => {
  const number = relations.duplicateOf.get(title.number);
  if (number === undefined) return null;
  const kind = relations.sameContent.has(title.number) ? 'same content' : 'same segments';
  const same = evidence(kind, 0, [number]);
  const pretends = decoys.found.get(number);
  if (pretends) return { role: 'decoy', confidence: 0.95, why: [same, ...pretends] };
  const other = titles.get(number);
  if (other && tracksOf(other) !== tracksOf(title))
    return { role: 'version', confidence: 0.9, why: [same, evidence('other tracks', 0, [number])] };
  return { role: 'duplicate', confidence: kind === 'same segments' ? 1 : 0.95, why: [same] };
};

const short: Rule = (title) =>
  title.durationMs < SHORT_MS ? { role: 'short', confidence: 0.9, why: [evidence('very short', 0, [], title.durationMs)] } : null;

const decoy: Rule = (title, { decoys }) => {
  const why = decoys.found.get(title.number);
  return why ? { role: 'decoy', confidence: 0.95, why } : null;
};

const playAll: Rule = (title, { relations }) => {
  const inner = relations.playAlls.get(title.number);
  if (!inner) return null;
  const covered = inner.reduce((sum, t) => sum + t.durationMs, 0);
  const kind = relations.copied.has(title.number) ? 'copies of' : 'contains';
  const numbers = inner.map((t) => t.number);
  const why = evidence(kind, 0, numbers, Math.round((100 * covered) / title.durationMs));
  return { role: 'play-all', confidence: kind === 'contains' ? 0.97 : 0.9, why: [why] };
};

const episode: Rule = (title, { episodes, relations }) => {
  const place = episodes.indexOf(title) + 1;
  if (place === 0) return null;
  const outer = relations.insideOf.get(title.number);
  const numbers = episodes.map((t) => t.number);
  if (outer === undefined) return { role: 'episode', confidence: 0.75, why: [evidence('like length', 0, numbers, place)] };
  const why = [evidence('contained in', 0, [outer], place), evidence('like length', 0, numbers, null)];
  return { role: 'episode', confidence: 0.93, why };
};

const mainTitle: Rule = (title, { main, segments, decoys, judged, mainPoints, rivalPoints }) => {
  if (title !== main) return null;
  // One work that stands in several clips runs on in time; works in a row each have a clock of their own.
  const runsOn = (continuityOf(title, segments) ?? 0) > 0.5;
  const divisions = runsOn ? [] : divisionsOf(title, segments);
  const why = [
    ...(judged && judged.even.length > 0 ? [evidence('even cuts', 0, judged.even)] : []),
    ...(decoys.genuine.get(title.number) ?? []),
    ...(divisions.length > 0 ? [evidence('divides', 0, [], divisions.length)] : []),
  ];
  const among = certainty(mainPoints, rivalPoints) * (decoys.sure.get(title.number) ?? 1);
  return { role: 'main', confidence: among * (judged?.sure ?? 1), why, more: { divisions } };
};

const otherCut: Rule = (title, { main, cuts, judged }) => {
  const cut = cuts.get(title.number);
  if (!main || !cut) return null;
  const why = [
    ...(judged?.even.includes(title.number) ? [evidence('even cuts', 0, [main.number])] : []),
    evidence('shares', 0, [main.number], Math.round((100 * cut.sharedMs) / Math.max(1, main.durationMs))),
    evidence('longer by', 0, [main.number], title.durationMs - main.durationMs),
  ];
  return { role: 'cut', confidence: 0.9, why, more: { differences: cut.differences } };
};

const part: Rule = (title, { relations }) => {
  const outer = relations.insideOf.get(title.number);
  return outer === undefined ? null : { role: 'part', confidence: 0.95, why: [evidence('contained in', 0, [outer])] };
};

const menu: Rule = (title, { menus }) =>
  menus.has(title.number) ? { role: 'menu', confidence: 0.85, why: [evidence('menu loop')] } : null;

const feature: Rule = (title, { main, scored }) => {
  if (!main || !isAnotherFilm(title, main)) return null;
  const points = Math.round(total(scored.get(title.number) ?? []));
  return { role: 'feature', confidence: 0.5 + 0.5 * certainty(points, 50), why: [evidence('another film', 0, [main.number])] };
};

/** What is left is an extra: the surer, the farther it is from the best. */
const extra = (title: Title, { topPoints, scored }: FindingContext): Conclusion => {
  const points = Math.round(total(scored.get(title.number) ?? []));
  return { role: 'extra', confidence: 0.5 + 0.5 * certainty(topPoints, points), why: [] };
};

/** In this order: the first that has something to say decides. A new kind of finding is a rule in its place here. */
const RULES: readonly Rule[] = [unusable, laidOver, twin, short, decoy, playAll, episode, mainTitle, otherCut, part, menu, feature];

/** What a title is. */
export function conclude(title: Title, context: FindingContext): Conclusion {
  for (const rule of RULES) {
    const conclusion = rule(title, context);
    if (conclusion) return conclusion;
  }
  return extra(title, context);
}
