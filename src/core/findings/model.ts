/** What the application concludes of a title. The words for it are the interface's. */
export type Role = 'main' | 'episode' | 'play-all' | 'duplicate' | 'part' | 'extra' | 'short' | 'unusable';

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
  | 'same segments'
  | 'contains'
  | 'contained in'
  | 'like length'
  | 'very short'
  | 'protected'
  | 'cut short'
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
} as const;

/** Titles below this are logos and menu loops, whatever else speaks for them. */
export const SHORT_MS = 8000;
/** Parts of a play-all count as episodes where the shortest is at least this share of the longest. */
export const LIKE_LENGTH_SHARE = 0.6;
/** A play-all is covered by its parts to at least this share of its time. */
export const COVERED_SHARE = 0.9;
