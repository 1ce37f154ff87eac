import type { Findings } from '../findings';
import type { Reading } from '../reading';
import { applyRules, type Decision, type HouseRules, type TrackDecision } from './house-rules';

/** What was decided about, as far as a rule can be made of it. */
export interface Overruled {
  readonly decision: Decision;
  /** What the user chose instead. */
  readonly taken: boolean;
  readonly kind: 'audio' | 'subtitles' | 'title';
  /** Of the track; null where none is said. */
  readonly language: string | null;
}

const without = (languages: readonly string[], language: string) => languages.filter((l) => l.toLowerCase() !== language.toLowerCase());

/**
 * The rules as they would have to be for an overruling to be no exception.
 * @returns null where no rule can say it: the choice then stays one for this disc.
 */
export function ruleFromOverruling(rules: HouseRules, { decision, taken, kind, language }: Overruled): HouseRules | null {
  if (decision.taken === taken) return null;
  switch (decision.ground) {
    case 'commentary':
      return { ...rules, commentary: taken };
    case 'description':
      return { ...rules, description: taken };
    case 'hearing impaired':
      return { ...rules, hearingImpaired: taken };
    case 'extras':
      return { ...rules, extras: taken };
    case 'shortest extra':
      return { ...rules, shortestExtraMs: 0 };
    case 'features':
      return { ...rules, features: taken };
    case 'cuts':
      return { ...rules, cuts: taken };
    case 'series':
      return { ...rules, series: taken ? 'both' : rules.series === 'both' ? 'episodes' : rules.series };
    case 'other language':
      return language === null ? null : { ...rules, languages: [...rules.languages, language] };
    case 'preferred language':
      return language === null || taken ? null : { ...rules, languages: without(rules.languages, language) };
    case 'quality: lesser':
      return { ...rules, quality: 'all' };
    case 'quality: compatible':
      return { ...rules, quality: 'best' };
    case 'subtitles':
      return { ...rules, subtitles: taken ? 'all' : 'none' };
    case 'audio':
      // One language taken out of all of them: from now on only those that are preferred, where some are.
      return kind === 'audio' && rules.languages.length > 0 ? { ...rules, audio: 'preferred' } : null;
    default:
      return null;
  }
}

/** A track that the user took or left against the rules. */
export interface OverruledTrack {
  readonly title: number;
  readonly kind: TrackDecision['kind'];
  readonly stream: number;
  /** What the user chose. */
  readonly taken: boolean;
}

/**
 * The rules with which a track is decided as the user did, on this disc.
 * @returns null where no rule can say it, or where the nearest one would still decide otherwise: a preference for no
 * language at all takes every one.
 */
export function ruleThatDecides(reading: Reading, findings: Findings, rules: HouseRules, wish: OverruledTrack): HouseRules | null {
  const only = { ...reading, titles: reading.titles.filter((t) => t.number === wish.title) };
  const find = (by: HouseRules) =>
    applyRules(only, findings, by)
      .decisions.find((d) => d.title === wish.title)
      ?.tracks.find((t) => t.kind === wish.kind && t.stream === wish.stream);
  const decision = find(rules);
  const track = only.titles[0]?.[wish.kind].find((t) => t.stream === wish.stream);
  if (!decision || !track) return null;
  const next = ruleFromOverruling(rules, { decision, taken: wish.taken, kind: wish.kind, language: track.language });
  return next && find(next)?.taken === wish.taken ? next : null;
}
