import type { Spoilt } from '../spoil';

/** A Blu-ray before a byte of it is written: plain data, so that a failing one can be kept as a line and made smaller. */
export interface BlurayPlan {
  readonly label: string;
  readonly clips: readonly ClipPlan[];
  /** In the order of their numbers: the playlist at place i is number i × 7 + 1. */
  readonly playlists: readonly PlaylistPlan[];
  /** Titles of the index, each the place of a playlist. */
  readonly titles: readonly number[];
  /** Title that first play jumps to, from 1. */
  readonly plays: number;
  readonly spoilt?: Spoilt | undefined;
}

export type PictureCodec = 'H.264' | 'MPEG-2';

export interface Picture {
  readonly codec: PictureCodec;
  readonly widthPixels: number;
  readonly heightPixels: number;
  /** Pictures in a second, as numerator and denominator. */
  readonly rate: readonly [number, number];
  /** video_format and frame_rate of the tables, BD-ROM part 3. */
  readonly format: number;
}

export type BluraySoundCodec = 'AC-3' | 'DTS' | 'LPCM' | 'TrueHD';

export interface ClipPlan {
  readonly picture: Picture;
  readonly groups: number;
  readonly fromGroup: number;
  /** Time of the first picture, 90 kHz; even, since tables count 45 kHz. */
  readonly first90k: number;
  readonly sounds: readonly ClipSoundPlan[];
  readonly graphics: readonly GraphicsPlan[];
  /** How much later than its picture sound stands in the file, 90 kHz. */
  readonly soundLag90k: number;
  /** Decides in which order packets of several streams stand. */
  readonly order: number;
  /** The file begins with this other clip, which has a clock of its own: two recordings put together. */
  readonly after?: number;
  /** From this group on it stands in a second file, into which the first goes on packet for packet. */
  readonly divided?: number;
  /** Something that its author lost: counters and places are of a stream that never had it. */
  readonly lost?: Omission;
}

/** One packet of a stream that is left out, by its place among those of its kind; or a picture some of whose bytes are zeros. */
export interface Omission {
  readonly kind: 'picture' | 'emptied' | 'sound' | 'graphics';
  /** Which stream of the kind, and which packet of it. */
  readonly stream: number;
  readonly packet: number;
}

export interface ClipSoundPlan {
  readonly codec: BluraySoundCodec;
  readonly channels: number;
  readonly language: string;
  readonly pid: number;
  readonly seed: number;
  readonly fromFrame: number;
  readonly delay90k: number;
  /** Frames that there are of it. */
  readonly frames: number;
}

export interface GraphicsPlan {
  readonly language: string;
  readonly pid: number;
  readonly events: readonly { readonly at90k: number; readonly length90k: number; readonly forced: boolean; readonly shade: number }[];
}

export interface ItemPlan {
  readonly clip: number;
  /** Groups of the clip that it shows: from, and up to. */
  readonly from: number;
  readonly to: number;
  /** connection_condition: 1 a new clock, 5 sound goes on from the item before, 6 the file does. */
  readonly connection: 1 | 5 | 6;
  /** How many of the clip's streams of sound its table has: fewer in a card before the film. */
  readonly sounds: number;
  readonly graphics: number;
}

export interface PlaylistPlan {
  readonly items: readonly ItemPlan[];
  /** Entry marks: item, and 90 kHz from where it begins. */
  readonly marks: readonly { readonly item: number; readonly after90k: number }[];
}

export const playlistNumber = (place: number): number => place * 7 + 1;
export const clipName = (place: number): string => String(place * 3 + 2).padStart(5, '0');
/** The second file of a clip that is divided. */
export const secondName = (place: number): string => String(place * 3 + 3).padStart(5, '0');

/** Time of a picture from the first, 90 kHz; stamps are whole ticks. */
export const time90k = ({ rate: [of, in_] }: Picture, pictures: number): number => Math.round((pictures * 90_000 * in_) / of);
