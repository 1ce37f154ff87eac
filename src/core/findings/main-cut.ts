import type { Reading, Title } from '../reading';
import { CUT_WEIGHTS, EVEN_SHARE } from './model';
import { certainty } from './score';

/** Which of several cuts the disc is about. */
export interface JudgedCuts {
  readonly main: Title;
  /** How sure one is of it among them, 0 to 1. */
  readonly sure: number;
  /** The others that are as likely. */
  readonly even: readonly number[];
}

/**
 * Judges cuts of one work: what the disc plays by itself, what its menus select and offer first, place in the list of titles; length
 * and tracks count too, and decide nothing alone.
 */
export function judgeCuts(cuts: readonly Title[], reading: Reading): JudgedCuts {
  const most = (of: (t: Title) => number) => Math.max(1, ...cuts.map(of));
  const longest = most((t) => t.durationMs);
  const tracks = most((t) => t.audio.length + t.subtitles.length);
  const routesOf = (t: Title) => reading.routes.filter((r) => r.title === t.number && !(r.by === 'play' && r.menus > 0));
  /** The earlier in menus and index, the better; the disc's own numbers where neither says anything. */
  const place = (t: Title) => Math.min(...routesOf(t).map((r) => r.menus * 100 + r.button), Number.POSITIVE_INFINITY);
  const order = [...cuts].sort((a, b) => place(a) - place(b) || a.number - b.number);
  const points = (t: Title): number => {
    const routes = routesOf(t);
    return (
      (routes.some((r) => r.by === 'play') ? CUT_WEIGHTS.plays : 0) +
      (routes.some((r) => r.selected && r.menus === 1) ? CUT_WEIGHTS.selects : 0) +
      CUT_WEIGHTS.order * (1 - order.indexOf(t) / cuts.length) +
      (CUT_WEIGHTS.duration * t.durationMs) / longest +
      (CUT_WEIGHTS.tracks * (t.audio.length + t.subtitles.length)) / tracks
    );
  };
  const ranked = cuts
    .map((title) => ({ title, points: points(title) }))
    .sort((a, b) => b.points - a.points || a.title.number - b.title.number);
  const [best, second] = ranked;
  if (!best) throw new Error('there is no cut to judge');
  const even = ranked.slice(1).filter((r) => r.points >= best.points * EVEN_SHARE);
  return { main: best.title, sure: certainty(best.points, second?.points ?? 0), even: even.map((r) => r.title.number) };
}
