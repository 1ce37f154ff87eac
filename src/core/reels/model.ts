/** A title, or a range of its chapters, inside a reel. */
export interface Piece {
  readonly title: number;
  /** From 1. */
  readonly angle: number;
  /** First and last chapter taken, from 1. */
  readonly fromChapter: number;
  readonly toChapter: number;
  /**
   * Milliseconds of the title's playing time, instead of whole chapters; none for those. Widened to where decoding can
   * begin, so that nothing inside is lost.
   */
  readonly range?: { readonly fromMs: number; readonly toMs: number } | null | undefined;
}

/** A track taken, with what the container says of it. */
export interface TakenTrack {
  /** Stream key on the disc. */
  readonly stream: number;
  /** BCP 47 tag, or null. */
  readonly language: string | null;
  readonly name: string;
  readonly isDefault: boolean;
  readonly isForced: boolean;
  readonly isCommentary: boolean;
  readonly isHearingImpaired: boolean;
  readonly isVisuallyImpaired: boolean;
  /** In the language the work was made in. DVD tables do not say which that is: false where nobody has said so. */
  readonly isOriginal: boolean;
}

/** The two recipes there are so far: the disc's own streams, and a copy to look at. */
export type RecipeId = 'master' | 'access';

/** One thing to produce. */
export interface Reel {
  readonly name: string;
  readonly pieces: readonly Piece[];
  readonly audio: readonly TakenTrack[];
  readonly subtitles: readonly TakenTrack[];
  /** Names by place in the output; an empty one is written as "Chapter n". */
  readonly chapterNames: readonly string[];
  readonly recipes: readonly RecipeId[];
}
