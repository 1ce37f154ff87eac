import type { Reading, Title } from '../reading';
import { evidence } from './evidence';
import { WEIGHTS, type Evidence, type EvidenceKind } from './model';

const ratio = (value: number, most: number) => (most > 0 ? value / most : 0);

/** Its tables are gone: only menus and the list of titles know it. */
export const isLost = (title: Title): boolean => title.state === 'unreadable' && title.parts.length === 0;

/** The best there is of each fact, over all candidates. */
interface Best {
  readonly duration: number;
  readonly bytes: number;
  readonly chapters: number;
  readonly audio: number;
  readonly subtitles: number;
}

/** Scores titles by the table of weights; made once for all candidates. */
export class Scorer {
  private readonly best: Best;
  private readonly least: Best;
  constructor(
    candidates: readonly Title[],
    private readonly reading: Reading,
  ) {
    const over = (pick: (...values: number[]) => number): Best => ({
      duration: pick(...candidates.map((t) => t.durationMs)),
      bytes: pick(...candidates.map((t) => t.sizeBytes)),
      chapters: pick(...candidates.map((t) => t.chapters.length)),
      audio: pick(...candidates.map((t) => t.audio.length)),
      subtitles: pick(...candidates.map((t) => t.subtitles.length)),
    });
    this.best = over(Math.max);
    this.least = over(Math.min);
  }

  score(title: Title): Evidence[] {
    const found: Evidence[] = [];
    // What is lost still competes: of a title of which nobody knows a fact any more the most is believed.
    const share = title.durationMs === 0 && isLost(title) ? 1 : ratio(title.durationMs, this.best.duration);
    found.push(evidence(share === 1 ? 'longest' : 'share of longest', WEIGHTS.duration * share, [], Math.round(share * 100)));
    const add = (kind: EvidenceKind, fact: Exclude<keyof Best, 'duration'>, value: number) => {
      const part = value === 0 && isLost(title) ? 1 : ratio(value, this.best[fact]);
      if (part === 1 && this.least[fact] < value) found.push(evidence(kind, WEIGHTS[fact], [], value));
      else if (part > 0) found.push(evidence(kind, WEIGHTS[fact] * part, [], null));
    };
    add('most bytes', 'bytes', title.sizeBytes);
    add('most chapters', 'chapters', title.chapters.length);
    add('most audio', 'audio', title.audio.length);
    add('most subtitles', 'subtitles', title.subtitles.length);
    found.push(...this.route(title));
    return found;
  }

  private route(title: Title): Evidence[] {
    const routes = this.reading.routes.filter((r) => r.title === title.number && !(r.by === 'play' && r.menus > 0));
    const route = routes.find((r) => r.by === 'play') ?? routes[0];
    // Where Java programs choose, that no route was found says nothing.
    if (!route) return this.reading.routes.length > 0 && !this.reading.javaMenus ? [evidence('no route')] : [];
    if (route.by === 'play') return [evidence('first play', WEIGHTS.firstPlay)];
    if (route.by === 'index') return [evidence('index lists', WEIGHTS.indexLists, [], route.button)];
    if (route.selected && route.menus === 1) return [evidence('menu selects', WEIGHTS.menuSelects, [], route.button)];
    return [evidence('menu offers', WEIGHTS.menuOffers, [], route.button)];
  }
}

export const total = (list: readonly Evidence[]): number => list.reduce((sum, e) => sum + e.points, 0);

/** Only what says something is shown: a shared maximum gives points but is no evidence. */
export const shown = (list: readonly Evidence[]): Evidence[] =>
  list.filter((e) => e.points === 0 || e.value !== null || e.kind === 'first play').sort((a, b) => b.points - a.points);

/** How sure one is of the first of two scores. Equal: a coin; a third of it or less: as good as certain. */
export function certainty(best: number, second: number): number {
  return best <= 0 ? 0 : 1 - 0.5 * (second / best) ** 3;
}
