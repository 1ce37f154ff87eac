import type { PackedViews, RecipeId } from '../recipes/recipe';
import type { AudioCodec } from '../reading';

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
  /** Only what is shown even while subtitles are off: a track of its own beside the full one. */
  readonly forcedOnly?: boolean | undefined;
}

/** A chapter as the reel names and places it, instead of the disc. */
export interface ReelChapter {
  /** Milliseconds of the output. */
  readonly startMs: number;
  readonly name: string;
}

/** What is known of a work: becomes tags of the container and parts of names. Empty where nothing is known. */
export interface ReelTags {
  readonly work: string;
  /** Four digits, or empty. */
  readonly year: string;
  readonly series: string;
  readonly season: number | null;
  readonly episode: number | null;
  /** BCP 47 tag of the language the work was made in, or empty. */
  readonly language: string;
  readonly notes: string;
  readonly accession: string;
  /** JPEG as a data address; null for none. */
  readonly cover: string | null;
}

export const NO_TAGS: ReelTags = {
  work: '',
  year: '',
  series: '',
  season: null,
  episode: null,
  language: '',
  notes: '',
  accession: '',
  cover: null,
};

/** One line of an external subtitle. */
export interface Cue {
  readonly startMs: number;
  readonly endMs: number;
  /** As the container holds it: of SubRip and WebVTT the text, of ASS the fields behind the times. */
  readonly text: string;
}

/** Subtitles that come from a file beside the disc. */
export interface AddedSubtitle {
  readonly name: string;
  readonly language: string | null;
  readonly format: 'SubRip' | 'WebVTT' | 'ASS';
  /** What a player must have first: the head of an ASS or WebVTT file; empty for SubRip. */
  readonly header: string;
  /** Added to every time, milliseconds; may be negative. */
  readonly offsetMs: number;
  readonly isDefault: boolean;
  readonly isForced: boolean;
  readonly cues: readonly Cue[];
}

/** A track of a file beside the disc, and what identifies that file: a job must not take another one that has its name. */
export interface BesideSource {
  /** Place that the engine knows, and the path inside it. */
  readonly root: string;
  readonly path: string;
  readonly sizeBytes: number;
  /** 64 hexadecimal digits over size and samples of the content. */
  readonly fingerprint: string;
  /** Number of the stream in its container, from 0. */
  readonly stream: number;
}

/** Sound that comes from a file beside the disc: its frames as they stand, nothing re-encoded. */
export interface AddedAudio {
  readonly source: BesideSource;
  readonly codec: AudioCodec;
  readonly channels: number;
  readonly sampleRateHz: number;
  readonly bitDepth: number | null;
  readonly durationMs: number;
  readonly name: string;
  /** BCP 47 tag, or null. */
  readonly language: string | null;
  /** Added to every time, milliseconds; may be negative. */
  readonly offsetMs: number;
  readonly isDefault: boolean;
  readonly isCommentary: boolean;
  readonly isVisuallyImpaired: boolean;
}

/** One thing to produce. */
/** The picture of a title, beside a reel's own. */
export interface OtherEye {
  readonly title: number;
  readonly angle: number;
  readonly eye: 'left' | 'right';
}

export interface Reel {
  readonly name: string;
  readonly pieces: readonly Piece[];
  readonly audio: readonly TakenTrack[];
  readonly subtitles: readonly TakenTrack[];
  /** Names by place in the output; an empty one is written as "Chapter n". */
  readonly chapterNames: readonly string[];
  /** Chapters of the reel's own, instead of the disc's; none for those. */
  readonly chapters?: readonly ReelChapter[] | null | undefined;
  readonly tags?: ReelTags | undefined;
  /** File name as made from the archive's pattern, without extension; empty for the reel's name. */
  readonly fileName?: string | undefined;
  readonly added?: readonly AddedSubtitle[] | undefined;
  readonly addedAudio?: readonly AddedAudio[] | undefined;
  /** Subtitles are also written as files beside the result, one each. */
  readonly subtitleFiles?: boolean | undefined;
  /**
   * What to do where the disc is not whole: `refuse` makes nothing that could be taken for whole; `around` takes what there is, with
   * gaps as long as they are. None for `refuse`.
   */
  readonly damage?: DamageChoice | undefined;
  /** Black bars as somebody has set them by eye, where the samples did not see them right; none for those of the samples. */
  readonly bars?: Bars | null | undefined;
  /** The picture holds what both eyes see, as somebody has said; none for one view. */
  readonly packed?: PackedViews | null | undefined;
  /** Of a title with two views: which eye the first one is, where the disc has it wrong. Absent or null for as the disc says. */
  readonly firstEye?: 'left' | 'right' | null | undefined;
  /** Another title whose picture is what the other eye sees, stretch for stretch; `eye` is its own. Absent or null for none. */
  readonly otherEye?: OtherEye | null | undefined;
  /** Of two views: how far in front of the screen subtitles are drawn into copies, as pixels of 1920 in each eye; behind it below 0. Absent or null for its plane. */
  readonly subtitleDepth?: number | null | undefined;
  readonly recipes: readonly RecipeId[];
}

/** Black rows and columns at each side of the picture, in its own pixels. */
export interface Bars {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

export type DamageChoice = 'refuse' | 'around';
