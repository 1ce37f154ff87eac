/** What the application concludes of a title. The words for it are the interface's. */
export type Role =
  | 'main'
  /** Another cut of the main title: most of the same material, and some of its own. */
  | 'cut'
  /** The main title's very segments with other tracks: made for another language. */
  | 'version'
  | 'episode'
  | 'play-all'
  | 'duplicate'
  /** The main title's material in an order that makes no sense, or the same little repeated. */
  | 'decoy'
  | 'part'
  | 'menu'
  | 'extra'
  /** Another film on the disc, that stands for itself beside the main title. */
  | 'feature'
  | 'short'
  | 'unusable';

export type EvidenceKind =
  | 'longest'
  | 'share of longest'
  | 'most bytes'
  | 'most chapters'
  | 'most audio'
  | 'most subtitles'
  | 'first play'
  | 'menu selects'
  | 'menu offers'
  | 'no route'
  | 'index lists'
  | 'same segments'
  | 'same content'
  | 'even cuts'
  | 'another film'
  | 'laid over'
  | 'copies of'
  | 'other tracks'
  | 'shares'
  | 'longer by'
  | 'shuffled'
  | 'repeats itself'
  | 'time runs on'
  | 'time jumps'
  | 'true order'
  | 'divides'
  | 'menu loop'
  | 'contains'
  | 'contained in'
  | 'like length'
  | 'very short'
  | 'protected'
  | 'cut short'
  | 'damaged'
  | 'unreadable';

export interface Evidence {
  readonly kind: EvidenceKind;
  /** Points of the score it gave; 0 for what decides by itself. */
  readonly points: number;
  /** Titles it speaks of, and a number where there is one (button, percentage, count). */
  readonly titles: readonly number[];
  readonly value: number | null;
}

export interface TitleFinding {
  readonly title: number;
  readonly role: Role;
  /** 0 to 1. */
  readonly confidence: number;
  readonly score: number;
  /** Strongest first. */
  readonly evidence: readonly Evidence[];
  /** Of a cut: where it differs from the main title. */
  readonly differences: readonly Difference[];
  /** Chapters with which parts of like length begin, where a long title seems to be several works in a row. */
  readonly divisions: readonly number[];
}

/** A stretch that two titles do not share: `ms` of the one stand against `otherMs` of the other. Either may be zero. */
export interface Difference {
  readonly atMs: number;
  readonly ms: number;
  readonly otherAtMs: number;
  readonly otherMs: number;
}

export interface Findings {
  /** The title that the disc is about; null where none can be used, or where that one can not. */
  readonly mainTitle: number | null;
  /** The title that the disc is about, where it is protected, cut short or unreadable: no other is then passed off as the main one. */
  readonly outOfReach: number | null;
  readonly kind: 'film' | 'series' | 'nothing usable';
  readonly titles: readonly TitleFinding[];
}

/** What each fact is worth in the ranking of titles; the sum of all is 100. Change here, nowhere else. */
export const WEIGHTS = {
  duration: 34,
  bytes: 16,
  chapters: 9,
  audio: 9,
  subtitles: 4,
  firstPlay: 28,
  menuSelects: 22,
  menuOffers: 8,
  indexLists: 8,
} as const;

/** What tells which of two cuts the disc is about; the sum is 100. */
export const CUT_WEIGHTS = { plays: 36, selects: 24, order: 16, duration: 14, tracks: 10 } as const;
/** A cut that comes this near to the best is as likely: both are then said, and both proposed. */
export const EVEN_SHARE = 0.8;
/** Another film has at least this share of the main title's length, and this length, and nothing in common with it. */
export const FEATURE_SHARE = 0.5;
export const FEATURE_MS = 20 * 60_000;
/** Two cells are copies of each other where they differ by no more than rounding, and a hundredth of their size. */
export const COPY_SLACK_MS = 60;
export const COPY_SLACK_SHARE = 0.01;
/** Episodes last a whole number of times as long as most, to within this share: two of them may stand in one title. */
export const MULTIPLE_SLACK = 0.25;
/** No part of a play-all of a series takes more of it than this. */
export const LARGEST_PART_SHARE = 0.7;

/** Titles below this are logos and menu loops, whatever else speaks for them. */
export const SHORT_MS = 8000;
/** What tells the true one of many titles that show the same material in different order; the sum is 100. */
export const DECOY_WEIGHTS = { route: 45, continuity: 40, chapters: 15 } as const;
/** So many orders of the same material are no accident. */
export const DECOY_GROUP = 4;
/** A title of at least so many parts, of which less than this share of its time is not a repetition, repeats itself. */
export const REPEATED_PARTS = 8;
export const OWN_SHARE = 0.4;
/** Two clips follow each other in time where the gap between their stamps is smaller than this. */
export const CONTINUOUS_90K = 90_000;
/** Another cut shares at least this share of the longer one's time with the main title, in the same order. */
export const CUT_SHARE = 0.5;
/** Titles without a play-all are episodes where there are at least so many of like length. */
export const LEAST_EPISODES = 3;
export const LIKE_EPISODE_SHARE = 0.75;
/** Parts of a play-all count as episodes where the shortest is at least this share of the longest. */
export const LIKE_LENGTH_SHARE = 0.6;
/** A play-all is covered by its parts to at least this share of its time. */
export const COVERED_SHARE = 0.9;
