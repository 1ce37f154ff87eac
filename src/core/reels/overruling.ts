import type { Decision, HouseRules } from './house-rules';

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
