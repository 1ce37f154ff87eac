import type { AudioCodec, ScanKind, SubtitleCodec, VideoCodec, VideoTrack } from '../reading';
import type { HardwareName } from './hardware-names';

/**
 * The shape of a recipe as it is kept, exported and sent with a job. Version 1 knew no rates, turns, light and levels of sound; version 2 no
 * marks, no other speed, no change of dynamic range; version 3 no views.
 */
export const RECIPE_VERSION = 4;

/** The lossless master is no recipe with settings: nothing of it can be chosen. All others are made from it. */
export const MASTER = 'master';
/** A recipe by its identifier: `master`, one that is shipped, or one of the archive's own. */
export type RecipeId = string;

export type Container = 'Matroska' | 'MP4' | 'QuickTime' | 'WebM' | 'MPEG transport stream' | 'AVI' | 'FLAC' | 'MP3' | 'Ogg';
export type CopyVideo = 'as it is' | 'H.264' | 'HEVC' | 'HEVC, 10 bit' | 'AV1' | 'VP9' | 'FFV1' | 'MPEG-2' | 'MPEG-4';
export type CopyAudio = 'as it is' | 'AAC' | 'Opus' | 'AC-3' | 'E-AC-3' | 'MP3' | 'FLAC' | 'PCM';
export type Effort = 'little' | 'medium' | 'much';

/** How a copy is made of a title: data, and nothing that is handed to a program as it stands. */
export interface Recipe {
  readonly version: typeof RECIPE_VERSION;
  readonly id: RecipeId;
  readonly name: string;
  readonly note: string;
  readonly container: Container;
  /** Stands behind the file's name, so that copies by several recipes are told apart. */
  readonly suffix: string;
  readonly video: {
    readonly codec: CopyVideo;
    /** On the encoder's own scale, smaller is better; null for its usual. Of no meaning for lossless ones. */
    readonly quality: number | null;
    /** Instead of a quality: so many 1,000 bits a second on average, or so many million bytes for the whole file. */
    readonly rate: { readonly kind: 'average'; readonly kbps: number } | { readonly kind: 'size'; readonly megabytes: number } | null;
    readonly effort: Effort;
    readonly tuning: 'none' | 'film' | 'animation' | 'grain';
    /** Seconds between pictures that decoding can begin with, at the most; null for the encoder's own choice. */
    readonly keySeconds: number | null;
    /** `constant`: every picture stands as long as every other, for players that count them; pictures are repeated or left for that. */
    readonly frameRate: 'kept' | 'constant';
    /** By an encoder in the machine's hardware, where it has one that works: sooner done, and larger for the same quality. */
    readonly hardware: boolean;
  };
  /** Film that was sped up to 25 pictures a second for television gets its own speed back, and all that belongs to it. */
  readonly speed: 'kept' | '24' | '23.976';
  /** What becomes of a picture that holds what both eyes see; of no meaning for others. `swapped`: the right eye's stands first. */
  readonly views: { readonly layout: ViewLayout; readonly swapped: boolean };
  readonly picture: {
    /** `measured`: where samples, or else the stream's flags, say that it is interlaced. */
    readonly deinterlace: 'measured' | 'never' | 'frames' | 'fields';
    /** `thorough`: rows between are drawn by a small neural network, where its weights are there. */
    readonly deinterlacer: 'usual' | 'thorough';
    /** Film that was spread over more frames becomes film again, where samples show that. */
    readonly film: 'measured' | 'never';
    /** Black bars, as samples show them. */
    readonly bars: 'keep' | 'crop';
    /** Rows at the most; null for as many as there are. */
    readonly mostRows: number | null;
    /** Fewer rows than that are made more. It takes room and time, and shows nothing that was not there. */
    readonly grow: boolean;
    readonly pixels: 'as they are' | 'square';
    /** `thorough`: likeness of patches instead of neighbours; much slower, and kinder to edges. */
    readonly denoise: 'none' | 'light' | 'strong' | 'thorough';
    readonly turn: 'none' | 'right' | 'half' | 'left';
    readonly mirror: boolean;
    /** Percent, from -50 to 50; 0 for as it is. */
    readonly brightness: number;
    readonly contrast: number;
    readonly saturation: number;
    /** Degrees, from -180 to 180, that all colours are turned. */
    readonly hue: number;
    /** `standard`: what is brighter than usual screens are is brought within what they show. */
    readonly range: 'kept' | 'standard';
    /** A text or a picture over all of it, like the owner's name. */
    readonly mark: Mark | null;
  };
  readonly audio: {
    readonly codec: CopyAudio;
    /** Of 1,000 bits a second and channel; null for what the codec usually takes. */
    readonly kbpsPerChannel: number | null;
    readonly mostChannels: 1 | 2 | 6 | 8;
    /** A stereo track beside every one with more channels. */
    readonly stereoBeside: boolean;
    /** The first track only, or all that the reel takes. */
    readonly tracks: 'all' | 'first';
    /** Integrated loudness that every track is brought to, in LUFS (EBU R 128); null for as loud as it is. */
    readonly loudness: number | null;
    /** Decibels, where no loudness is wished. */
    readonly gainDb: number;
    /** Milliseconds that the sound comes later, or earlier. */
    readonly delayMs: number;
    /** Where the speed changes: `falls` with it, as it rose when the film was sped up, or stays as it is. */
    readonly pitch: 'kept' | 'falls';
  };
  readonly subtitles: {
    readonly kept: 'all' | 'none';
    /** Drawn into the picture: what is shown even while subtitles are off, or the reel's first track whatever it is. */
    readonly drawn: 'none' | 'forced' | 'first';
  };
}

/** Something that stands over the whole film. */
export type Mark = {
  readonly corner: (typeof CORNERS)[number];
  /** How high it is, in percent of the picture. */
  readonly heightPercent: number;
  /** 100 hides what is below. */
  readonly opacityPercent: number;
} & (
  | { readonly kind: 'text'; readonly text: string }
  /** PNG as a data address. */
  | { readonly kind: 'picture'; readonly png: string }
);

/** How a picture holds what both eyes see: side by side or one below the other, and whose stands first (left, or above). */
export interface PackedViews {
  readonly packing: (typeof PACKINGS)[number];
  readonly first: 'left' | 'right';
}

/** `from`: two views that come as pictures of their own, in turn or in two tracks, and are put side by side as they are. */
export type SeenViews = PackedViews & { readonly from?: 'turns' | 'tracks' };

/** Depths of subtitles are told as pixels of a picture so wide, in each eye. */
export const WIDTH_OF_DEPTH = 1920;

/** What is known of a reel's picture and tracks: by its tables before it is read, by its stream afterwards. */
export interface EncodeFacts {
  readonly video: {
    readonly codec: VideoCodec;
    readonly widthPixels: number;
    readonly heightPixels: number;
    readonly displayAspect: readonly [number, number];
    readonly frameTicks: number;
    readonly bitDepth: number;
    readonly dynamicRange: VideoTrack['dynamicRange'];
    readonly twoViews: boolean;
    /** Of two views, the first decoded one is the right eye's. */
    readonly baseIsRight?: boolean;
    /** Why both views can not be decoded, where that was tried; absent or null where they can, as far as is known. */
    readonly viewsRefused?: string | null;
    /** Each view is a track of its own. */
    readonly viewsApart?: boolean;
    /** What the stream says of the screen that it was graded on; absent where it was not looked at, or says nothing. */
    readonly brightness?: BrightnessFigures | null;
  };
  /** Of two views: how far in front of the screen subtitles are drawn, as pixels of `WIDTH_OF_DEPTH`; behind it below 0. Absent for its plane. */
  readonly subtitleDepth?: number;
  /** The picture holds two views, as somebody has said; absent or null for one. */
  readonly packed?: SeenViews | null;
  /** By the stream's own flags, or by the tables; null where neither says. */
  readonly flaggedInterlaced: boolean | null;
  /** By samples; null where the title was not measured. */
  readonly measured: {
    readonly scan: ScanKind;
    /** Share of the frames looked at that are combed, 0 to 1. */
    readonly combed: number;
    readonly bars: { readonly top: number; readonly bottom: number; readonly left: number; readonly right: number };
  } | null;
  /** Black bars set by hand, which go before those that were measured; absent or null where nobody has. */
  readonly barsByHand?: NonNullable<EncodeFacts['measured']>['bars'] | null;
  readonly audio: readonly {
    readonly codec: AudioCodec;
    readonly channels: number;
    readonly name: string;
    /** 1,000 bits a second; null where it is not known. */
    readonly kbps?: number | null;
    /** A lossless track of the same title and language that the reel does not take. */
    readonly losslessLeft?: AudioCodec | null;
  }[];
  /** Encoders of hardware that work on the machine that encodes; absent for none. */
  readonly hardware?: readonly HardwareName[];
  /** Subtitles of the title that are shown even while subtitles are off, where the reel takes none of them; absent for none. */
  readonly forcedLeft?: number;
  /** The reel has a picture for its cover. */
  readonly cover?: boolean;
  /** `forced`: all of the track is shown even while subtitles are off. */
  readonly subtitles: readonly { readonly codec: SubtitleCodec; readonly forced: boolean }[];
  readonly chapters: number;
  readonly durationMs: number;
}

/** The figures of SMPTE ST 2086 and CTA-861.3, in their own units. */
export interface BrightnessFigures {
  /** Chromaticities of green, blue, red and white in steps of 0.00002, luminance from and to in 0.0001 cd/m². */
  readonly display: { readonly primaries: readonly number[]; readonly least: number; readonly most: number } | null;
  /** The brightest point and the brightest picture, in cd/m². */
  readonly light: { readonly content: number; readonly picture: number } | null;
}

/** Subtitles that are text: containers convert them. */
export const TEXTS: ReadonlySet<SubtitleCodec> = new Set<SubtitleCodec>(['SubRip', 'ASS', 'WebVTT']);

export const CONTAINERS: readonly Container[] = [
  'Matroska',
  'MP4',
  'QuickTime',
  'WebM',
  'MPEG transport stream',
  'AVI',
  'FLAC',
  'MP3',
  'Ogg',
];
/** Containers that hold one track of sound and nothing else: of a concert a file for each song. RFC 9639, ISO/IEC 11172-3, RFC 7845. */
export const SOUND_ONLY: ReadonlySet<Container> = new Set<Container>(['FLAC', 'MP3', 'Ogg']);
export const COPY_VIDEO: readonly CopyVideo[] = ['as it is', 'H.264', 'HEVC', 'HEVC, 10 bit', 'AV1', 'VP9', 'MPEG-2', 'MPEG-4', 'FFV1'];
export const PACKINGS = ['beside', 'below'] as const;
export const VIEW_LAYOUTS = [
  'kept',
  'left eye',
  'right eye',
  'side by side',
  'side by side, half',
  'over-under',
  'over-under, half',
  'red and cyan',
  'red and cyan, grey',
  'green and magenta',
  'yellow and blue',
] as const;
export type ViewLayout = (typeof VIEW_LAYOUTS)[number];
export type MadeLayout = Exclude<ViewLayout, 'kept'>;
export const COPY_AUDIO: readonly CopyAudio[] = ['as it is', 'AAC', 'Opus', 'AC-3', 'E-AC-3', 'MP3', 'FLAC', 'PCM'];
export const TURNS = ['none', 'right', 'half', 'left'] as const;
export const EFFORTS: readonly Effort[] = ['little', 'medium', 'much'];
export const CORNERS = ['top left', 'top right', 'bottom left', 'bottom right', 'middle'] as const;
export const SPEEDS = ['kept', '24', '23.976'] as const;
export const DRAWN = ['none', 'forced', 'first'] as const;
export const TUNINGS = ['none', 'film', 'animation', 'grain'] as const;
export const DEINTERLACE = ['measured', 'never', 'frames', 'fields'] as const;
export const DENOISE = ['none', 'light', 'strong', 'thorough'] as const;
export const MOST_CHANNELS = [1, 2, 6, 8] as const;

/** What follows a file's name. RFC 9559 names no ending; these are the usual ones. */
export const CONTAINER_ENDING: Readonly<Record<Container, string>> = {
  Matroska: '.mkv',
  MP4: '.mp4',
  QuickTime: '.mov',
  WebM: '.webm',
  'MPEG transport stream': '.ts',
  AVI: '.avi',
  FLAC: '.flac',
  MP3: '.mp3',
  Ogg: '.opus',
};

export const MASTER_ENDING = '.mkv';
/** Whether a file has a name that a result may have. */
export const isResultName = (name: string): boolean => Object.values(CONTAINER_ENDING).some((ending) => name.endsWith(ending));
const ACCESS = 'access';

/** What follows a reel's name in the file made by each recipe, by its identifier: no two are the same. */
export function endingsOf(ids: readonly RecipeId[], recipes: ReadonlyMap<RecipeId, Recipe>): Map<RecipeId, string> {
  const taken = new Set<string>();
  const endings = new Map<RecipeId, string>();
  for (const id of ids) {
    const recipe = recipes.get(id);
    const extension = recipe ? CONTAINER_ENDING[recipe.container] : id === ACCESS ? '.mp4' : MASTER_ENDING;
    const suffix = recipe?.suffix ?? (id === MASTER || id === ACCESS ? '' : ` (${id})`);
    let ending = suffix + extension;
    for (let n = 2; taken.has(ending.toLowerCase()); n++) ending = `${suffix} ${n}${extension}`;
    taken.add(ending.toLowerCase());
    endings.set(id, ending);
  }
  return endings;
}

/** Recipes of a reel with one more or less, the master first; the last one stays. */
export function withRecipe(recipes: readonly RecipeId[], recipe: RecipeId, on: boolean): readonly RecipeId[] {
  const without = recipes.filter((r) => r !== recipe);
  if (!on) return without.length > 0 ? without : recipes;
  return recipe === MASTER ? [recipe, ...without] : [...without, recipe];
}

const SOUND_TYPE: Partial<Readonly<Record<Container, string>>> = { FLAC: 'audio/flac', MP3: 'audio/mpeg', Ogg: 'audio/ogg' };

/** The type under which pages play a copy as it is; null for what they can not be relied on to play. */
export function playsInPage({
  recipe,
  copy,
}: {
  readonly recipe: RecipeId;
  readonly copy: { readonly recipe: Pick<Recipe, 'container' | 'video'> } | null;
}): string | null {
  if (!copy) return recipe === ACCESS ? 'video/mp4' : null;
  const { container, video } = copy.recipe;
  const sound = SOUND_TYPE[container];
  if (sound) return sound;
  if (container === 'MP4' && video.codec === 'H.264') return 'video/mp4';
  return container === 'WebM' && (video.codec === 'VP9' || video.codec === 'AV1') ? 'video/webm' : null;
}
