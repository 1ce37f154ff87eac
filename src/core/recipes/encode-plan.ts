import type { Hardware } from './hardware-names';
import type { Reason } from './reasons';
import type { BrightnessFigures, Container, CopyAudio, CopyVideo, MadeLayout, Mark, PackedViews, Recipe } from './recipe';

/** What is done to a reel for a copy, as data. */

export interface PlannedAudio {
  /** Track of the reel, from 0. */
  readonly source: number;
  readonly codec: Exclude<CopyAudio, 'as it is'> | 'copy';
  readonly channels: number;
  readonly kbps: number | null;
  /** Mixed down by its own decoder, in the proportions that the stream itself names. */
  readonly ownMix: boolean;
  /** Louder or softer, in decibels; 0 for as it is. */
  readonly gainDb: number;
  /** Later, or where it is negative earlier, in milliseconds. */
  readonly delayMs: number;
  /** Wished integrated loudness in LUFS, to be measured before it is encoded: see `withLoudness`. Null for as loud as it is. */
  readonly loudness: number | null;
  /** How much longer it takes, and whether its pitch falls with that; null for as it is. */
  readonly slower: { readonly by: number; readonly pitchFalls: boolean } | null;
  /** Put behind the track's own name; empty for a track that is the reel's own. */
  readonly nameSuffix: string;
}
/** Where a plan's pictures stand still for each other: `numerator / denominator` a second. */
export interface Rate {
  readonly numerator: number;
  readonly denominator: number;
}

export interface PlannedSubtitle {
  readonly source: number;
  readonly codec: 'copy' | 'text of MP4' | 'WebVTT';
}

/** What is done with the eyes of a packed picture. */
export interface ViewsStep {
  readonly kind: 'views';
  readonly from: PackedViews;
  readonly to: MadeLayout;
  readonly first: 'left' | 'right';
  /** Size of one eye's picture before it is squeezed again. */
  readonly width: number;
  readonly height: number;
}

export type PictureStep =
  /** Both eyes' pictures, each shown for so long, are put beside each other, the first on the left. They come in turn, or in two tracks. */
  | { readonly kind: 'pair'; readonly frameMs: number; readonly from: 'turns' | 'tracks' }
  | { readonly kind: 'deinterlace'; readonly all: boolean; readonly fields: boolean; readonly thorough: boolean }
  | { readonly kind: 'film' }
  | { readonly kind: 'crop'; readonly width: number; readonly height: number; readonly x: number; readonly y: number }
  | { readonly kind: 'scale'; readonly width: number; readonly height: number; readonly square: boolean }
  | { readonly kind: 'denoise'; readonly how: 'light' | 'strong' | 'thorough' }
  | { readonly kind: 'turn'; readonly by: 'right' | 'half' | 'left' }
  | { readonly kind: 'mirror' }
  /** Percent more or less. */
  | { readonly kind: 'light'; readonly brightness: number; readonly contrast: number; readonly saturation: number; readonly hue: number }
  /**
   * Subtitles of a track of the reel, from 0: pictures where the disc draws them, text at the foot of the picture. `shift`: of two views,
   * pixels by which they stand to the right in the first and to the left in the second; none or 0 at the plane of the screen. `alone`: in a picture
   * that holds one view only.
   */
  | { readonly kind: 'draw'; readonly subtitle: number; readonly text: boolean; readonly shift?: number; readonly alone?: boolean }
  /** Brightness brought within what usual screens show. */
  | { readonly kind: 'tone' }
  | { readonly kind: 'mark'; readonly mark: Mark }
  /** Both eyes taken apart, each treated by the same steps, and put together. */
  | (ViewsStep & { readonly steps: readonly PictureStep[] });

/** All steps of a plan, those for each eye among them. */
export const allSteps = ({ video }: EncodePlan): PictureStep[] => video.steps.flatMap((s) => (s.kind === 'views' ? [s, ...s.steps] : [s]));

/** Both views of the source are decoded: it is read as pictures of both eyes in turn. */
export const takesBothViews = ({ video }: Pick<EncodePlan, 'video'>): boolean =>
  video.steps.some((s) => s.kind === 'pair' && s.from === 'turns');

/** What is done to a reel for a copy: all that the encoder is told follows from it. */
export interface EncodePlan {
  readonly container: Container;
  readonly video: {
    readonly codec: Exclude<CopyVideo, 'as it is'> | 'copy';
    readonly quality: number | null;
    /** 1,000 bits a second on average, instead of a quality; `passes`: the whole is looked through before, so that bits go where they are needed. */
    readonly rate: { readonly kbps: number; readonly passes: 1 | 2 } | null;
    readonly recipe: Recipe['video'];
    readonly bitDepth: 8 | 10;
    /** Fields stay fields in the copy. */
    readonly interlaced: boolean;
    /** Of the copy, about: film that is restored has four in five. */
    readonly picturesPerSecond: number;
    /** Pictures between two that decoding can begin with. */
    readonly keyFrames: number | null;
    readonly steps: readonly PictureStep[];
    readonly widthPixels: number;
    readonly heightPixels: number;
    readonly displayAspect: number;
    /** Pictures in the copy for each of the source's: null where the material decides. */
    readonly framesPerFrame: 1 | 2 | null;
    /** Every picture stands as long as every other; null where times stay as they are. */
    readonly constant: Rate | null;
    /** The rate of its pictures but for pauses, exactly. */
    readonly nominal: Rate;
    /** The hardware that encodes it; null for software. */
    readonly hardware: Hardware | null;
    /** How the copy's picture holds what both eyes see, which it says of itself; null for one view. */
    readonly views: { readonly layout: MadeLayout; readonly first: 'left' | 'right' } | null;
    /** Its source says that it holds two views: the copy must say what it holds itself. */
    readonly saysViews: boolean;
    /** Figures that are written into the stream. */
    readonly brightness: BrightnessFigures | null;
  };
  /** How much longer the copy takes than its source: 1 for as long. */
  readonly slower: number;
  /** No picture, and one track of sound. */
  readonly soundOnly: boolean;
  /** Chapters go along, where there are any. */
  readonly chapters: boolean;
  /** The reel's cover goes along. */
  readonly cover: boolean;
  readonly audio: readonly PlannedAudio[];
  readonly subtitles: readonly PlannedSubtitle[];
  readonly reasons: readonly Reason[];
}

/** A file of sound of a film that has none. */
export const holdsNothing = ({ soundOnly, audio }: Pick<EncodePlan, 'soundOnly' | 'audio'>): boolean => soundOnly && audio.length === 0;
