import type { Spoilt } from '../spoil';
import type { Look, SoundCodec } from '../streams';

/** A DVD before a byte of it is written: plain data, so that a failing one can be kept as a line and made smaller. */
export interface DvdPlan {
  readonly label: string;
  readonly sets: readonly SetPlan[];
  /** Title that first play jumps to, from 1. */
  readonly plays: number;
  /** Titles in the order of the disc's list: set from 0, title in the set from 0. */
  readonly titles: readonly { readonly set: number; readonly title: number }[];
  readonly spoilt?: Spoilt | undefined;
}

export interface SetPlan {
  readonly look: Look;
  /** Attributes of logical streams. */
  readonly audio: readonly { readonly codec: SoundCodec; readonly channels: number; readonly language: string }[];
  readonly subtitles: readonly { readonly language: string }[];
  readonly vobs: readonly VobPlan[];
  readonly chains: readonly ChainPlan[];
  readonly titles: readonly TitlePlan[];
}

export interface VobPlan {
  readonly cells: readonly { readonly groups: number }[];
  /** First group of pictures of the look's. */
  readonly fromGroup: number;
  /** Time of the first picture shown, 90 kHz, 33 bits. */
  readonly first90k: number;
  readonly sounds: readonly SoundPlan[];
  readonly drawings: readonly DrawingPlan[];
  /** Every picture that begins a packet has its time, or only the first of a unit. */
  readonly stampsAll: boolean;
  /** How much later than its picture sound stands on the disc, 90 kHz. */
  readonly soundLag90k: number;
  /** Units, from and up to, whose navigation packs are a field late: an author's rounding between film and video. */
  readonly fieldLate?: readonly [number, number];
  /** The first pack of a unit has the very clock of the navigation pack before it. */
  readonly sameClock?: boolean;
  /** A pack of a sound that its author lost: which sound, and what share of it stands before. */
  readonly lost?: { readonly sound: number; readonly share: number };
}

/** One stream of sound in a VOB. */
export interface SoundPlan {
  readonly codec: SoundCodec;
  readonly channels: number;
  /** Number of the stream on the disc, 0 to 7. */
  readonly physical: number;
  readonly seed: number;
  readonly fromFrame: number;
  /** Begins so much after the first picture; negative: before. */
  readonly delay90k: number;
  /** Goes on so much longer than the last picture; negative: is over before. */
  readonly tail90k: number;
}

/** Subtitles of one stream in a VOB. */
export interface DrawingPlan {
  /** 0 to 31. */
  readonly physical: number;
  readonly events: readonly { readonly after90k: number; readonly units: number; readonly width: number; readonly height: number }[];
}

export interface CellPlan {
  readonly vob: number;
  readonly cell: number;
  readonly seamless: boolean;
  /** Seconds for which its last picture stands; 255: until the viewer goes on. */
  readonly still?: number;
}

export interface ChainPlan {
  readonly cells: readonly CellPlan[];
  /** First cell of each program, from 0. */
  readonly programs: readonly number[];
  /** Stream on the disc by logical stream; null where the chain has none. */
  readonly audio: readonly (number | null)[];
  readonly subtitles: readonly (DisplayStreams | null)[];
  readonly palette: readonly number[];
  /** Chain that follows by the chain's own field, from 0; null for none. */
  readonly next: number | null;
  /** Chain that its commands behind the cells link to, from 0. */
  readonly post: number | null;
  /** What the tables say of lengths: what is true, nothing at all, or more than there can be. */
  readonly times: 'true' | 'zero' | 'absurd';
}

export interface DisplayStreams {
  readonly full: number;
  readonly wide: number;
  readonly letterbox: number;
  readonly panScan: number;
}

export interface TitlePlan {
  /** Chain and program, both from 0. */
  readonly chapters: readonly { readonly chain: number; readonly program: number }[];
  /** All its chains in the order in which a player shows them. */
  readonly chains: readonly number[];
}

export const frame90k = ({ standard }: Look): number => (standard === 'PAL' ? 3600 : 3003);
