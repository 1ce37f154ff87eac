/** The streams of a title, and what is known of them. */

export type VideoCodec = DiscVideoCodec | FileVideoCodec;
export type DiscVideoCodec = 'MPEG-1' | 'MPEG-2' | 'H.264' | 'HEVC' | 'VC-1';
/** Only in plain video files. */
export type FileVideoCodec = 'MPEG-4' | 'AV1' | 'VP8' | 'VP9' | 'FFV1' | 'ProRes' | 'DV' | 'other';
export type AudioCodec = DiscAudioCodec | FileAudioCodec;
/** Only in plain video files. */
export type FileAudioCodec = 'AAC' | 'MP3' | 'FLAC' | 'Opus' | 'Vorbis' | 'ALAC' | 'PCM' | 'PCM float';
export type DiscAudioCodec =
  'AC-3' | 'E-AC-3' | 'TrueHD' | 'DTS' | 'DTS-HD' | 'DTS-HD Master' | 'DTS Express' | 'LPCM' | 'MPEG audio' | 'unknown';

/** Whether a fact comes from the stream's own header or only from the disc's tables. */
export type FactFrom = 'stream' | 'tables';

export interface VideoTrack {
  /** Stream key of the program stream, or the PID. */
  readonly stream: number;
  readonly codec: VideoCodec;
  /** Null on Blu-ray. */
  readonly standard: 'NTSC' | 'PAL' | null;
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly displayAspect: readonly [number, number];
  /** As a fraction, "30000/1001". */
  readonly frameRate: string;
  /** Ticks of 27 MHz. */
  readonly frameTicks: number;
  /** By the tables; null where they do not say. How frames were really coded is counted when they are taken. */
  readonly interlaced: boolean | null;
  /** "High 4.1"; null where it was not looked at. */
  readonly profile: string | null;
  readonly bitDepth: number;
  /** Line 21 of the picture carries captions, by the disc's tables. */
  readonly closedCaptions: boolean;
  readonly dynamicRange: 'standard' | 'HDR10' | 'Dolby Vision';
  /** Stream of a second layer that refines the picture, where the disc has one; absent where it has none. */
  readonly layer?: number | undefined;
  /** The second view of a stereoscopic title, and whether the first is the right eye's. */
  readonly secondView: { readonly stream: number; readonly baseIsRight: boolean } | null;
  readonly from: FactFrom;
}

/** Added to the PID of a TrueHD stream to name the AC-3 frames that stand between its own. */
export const CORE_STREAM = 0x10000;

export type AudioPurpose = 'normal' | 'visually impaired' | 'commentary' | 'alternative commentary';

export interface AudioTrack {
  /** Stream key of the program stream, or the PID; `CORE_STREAM` added for the AC-3 core inside a TrueHD stream. */
  readonly stream: number;
  readonly codec: AudioCodec;
  /** The stream that this is the core of; null for one that stands for itself. */
  readonly coreOf: number | null;
  readonly channels: number;
  /** "5.1", "stereo", "mono". */
  readonly layout: string;
  readonly sampleRateHz: number;
  readonly bitDepth: number | null;
  /** Bits a second; null where only a scan would tell. */
  readonly bitRate: number | null;
  /** BCP 47 tag, or null. */
  readonly language: string | null;
  readonly purpose: AudioPurpose | null;
  /** It stands in the content, and no table names it: a player can not choose it. */
  readonly unclaimed?: boolean | undefined;
  /** Where it stands where that is in clips beside the title's own, in order; null where it comes with the picture. */
  readonly apart: readonly ApartRun[] | null;
  readonly from: FactFrom;
}

export type SubtitlePurpose =
  | 'normal'
  | 'large'
  | 'children'
  | 'captions'
  | 'large captions'
  | "children's captions"
  | 'forced'
  | 'commentary'
  | 'large commentary'
  | "children's commentary";

/** A clip that a playlist lays beside its title. */
export interface ApartClip {
  readonly clip: string;
  readonly pid: number;
  /** The moment of the clip's clock that is shown at `atMs` of the title. */
  readonly in90k: number;
  readonly atMs: number;
}

/** A stretch of a clip's sound that a playlist lays beside its title: from `in90k` of the clip's clock, heard at `atMs` of the title. */
export interface ApartRun extends ApartClip {
  readonly out90k: number;
}

/** Times the number of the sub-path, from 1, added to the PID of a stream that stands in a clip of its own: two may have the same PID. */
export const APART_STREAM = 0x100000;

/** Added to the key of a DVD's stream, once or more, for another track that begins in a stream that a track of the title has already. */
export const OTHER_STREAM = 0x100000;

/** `text`: the text subtitles of Blu-ray. The last four stand in plain video files only. */
export type SubtitleCodec = 'VobSub' | 'PGS' | 'text' | 'SubRip' | 'ASS' | 'WebVTT' | 'DVB';

/** Subtitles that are pictures and can be drawn as they are; the others are text. */
export const isPictures = (codec: SubtitleCodec): boolean => codec === 'VobSub' || codec === 'PGS' || codec === 'DVB';

export interface SubtitleTrack {
  readonly stream: number;
  readonly codec: SubtitleCodec;
  readonly language: string | null;
  readonly purpose: SubtitlePurpose | null;
  /** Where it stands where that is a clip beside the title's own; null where it comes with the picture. */
  readonly apart: ApartClip | null;
  /** Colours of its own, as a title's; the title's where it has none. */
  readonly palette?: readonly number[] | undefined;
  /** The display that this stream is drawn for. */
  readonly drawnFor: '4:3' | 'wide' | 'letterbox' | 'pan and scan';
}

/** What one audio track was found to hold. Levels in dB below full scale. */
export interface MeasuredAudio {
  readonly stream: number;
  /** Root mean square over all that was decoded; null where nothing could be. */
  readonly meanDb: number | null;
  readonly peakDb: number | null;
  /** Levels along the title, in equal steps: presence at a glance. */
  readonly overTimeDb: readonly number[];
  readonly silent: boolean;
  /** An earlier track with the very same bytes. */
  readonly sameAs: number | null;
}

export interface MeasuredSubtitle {
  readonly stream: number;
  readonly events: number;
  /** When events are shown that are forced, milliseconds; at the most 500. */
  readonly forcedAtMs: readonly number[];
}

export type ScanKind = 'progressive' | 'interlaced' | 'film with pulldown' | 'mixed';

/**
 * Likeness of the left and the right half of a picture, and of the upper and the lower one, seen from far away; SSIM, 1 for the same.
 * `Turned`: the same with one of them turned over, which plain and symmetrical pictures survive and views of a scene do not.
 */
export interface HalvesAlike {
  readonly beside: number;
  readonly besideTurned: number;
  readonly below: number;
  readonly belowTurned: number;
}

/** What samples of both views say. */
export interface EyesLookedAt {
  /** In how many pictures what is above and what is below are at different distances, and in how many of them what is above stands nearer. */
  readonly told: number;
  readonly swapped: number;
  /**
   * From the nearest to the farthest of what is seen in lower thirds, where subtitles stand: how much farther to the right the right eye
   * sees it, percent of the width, with the eyes as the disc has them. Absent or null where nobody looked or nothing can be told.
   */
  readonly below?: { readonly nearest: number; readonly farthest: number } | null | undefined;
  /** Why both views can not be decoded here, as a sentence; absent or null where they can. */
  readonly refused?: string | null | undefined;
}

/** How the picture was really made, by looking at decoded samples. */
export interface MeasuredPicture {
  /** Absent or null where nobody looked. */
  readonly halves?: HalvesAlike | null | undefined;
  /** Of two views; null of one, and where nobody looked. */
  readonly eyes?: EyesLookedAt | null | undefined;
  readonly scan: ScanKind;
  /** Frames looked at, and how many of them are combed, whole, repeated by flags; the evidence. */
  readonly frames: number;
  readonly combed: number;
  readonly whole: number;
  readonly repeated: number;
  /** Rows and columns of pixels that stay black. */
  readonly bars: { readonly top: number; readonly bottom: number; readonly left: number; readonly right: number };
  /** Shape of the picture inside the bars, as width / height on the screen. */
  readonly trueAspect: number;
}

export interface TitleMeasure {
  /** False: samples along the title; true: every packet was read. */
  readonly everything: boolean;
  readonly audio: readonly MeasuredAudio[];
  readonly subtitles: readonly MeasuredSubtitle[];
  readonly picture: MeasuredPicture | null;
}
