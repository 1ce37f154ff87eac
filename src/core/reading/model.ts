/** The reading of a source: pure data, JSON all the way down. `contract/reading.ts` holds the matching schema. */

export const READING_VERSION = 2;

/** A run of disc content that titles are made of. Identity is the content's address, so titles can share it. */
export interface Segment {
  readonly id: string;
  readonly titleSet: number;
  readonly vobId: number;
  readonly cellId: number;
  /** Sectors of 2,048 bytes, from the start of the title set's VOBs; the last is included. */
  readonly firstSector: number;
  readonly lastSector: number;
  /** Address on the disc, or in a folder's files put one after the other. */
  readonly discSector: number;
  readonly durationMs: number;
  readonly interleaved: boolean;
  readonly seamless: boolean;
  readonly clockRestarts: boolean;
  /** Seconds that the player waits after it; null for one that waits for the viewer. */
  readonly stillSeconds: number | null;
}

export interface Chapter {
  readonly number: number;
  /** Place in the title's playing time. */
  readonly startMs: number;
  readonly durationMs: number;
  /** Index into the title's `parts` of its first part. */
  readonly firstPart: number;
}

export type VideoCodec = 'MPEG-1' | 'MPEG-2';
export type AudioCodec = 'AC-3' | 'DTS' | 'LPCM' | 'MPEG audio' | 'unknown';

/** Whether a fact comes from the stream's own header or only from the disc's tables. */
export type FactFrom = 'stream' | 'tables';

export interface VideoTrack {
  readonly codec: VideoCodec;
  readonly standard: 'NTSC' | 'PAL';
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly displayAspect: readonly [number, number];
  /** As a fraction, "30000/1001". */
  readonly frameRate: string;
  /** Ticks of 27 MHz. */
  readonly frameTicks: number;
  readonly from: FactFrom;
}

export type AudioPurpose = 'normal' | 'visually impaired' | 'commentary' | 'alternative commentary';

export interface AudioTrack {
  /** Stream key: `core/streams` says how it is made. */
  readonly stream: number;
  readonly codec: AudioCodec;
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

export interface SubtitleTrack {
  readonly stream: number;
  readonly codec: 'VobSub';
  readonly language: string | null;
  readonly purpose: SubtitlePurpose | null;
  /** The display that this stream is drawn for. */
  readonly drawnFor: '4:3' | 'wide' | 'letterbox' | 'pan and scan';
}

export type TitleState = 'usable' | 'scrambled' | 'cut short' | 'unreadable';

/** One step of a title: a segment, and the angle it belongs to (null outside an angle block). */
export interface TitlePart {
  readonly segment: string;
  readonly angle: number | null;
}

export interface Title {
  /** Number on the disc, from 1. */
  readonly number: number;
  readonly titleSet: number;
  readonly titleInSet: number;
  readonly state: TitleState;
  readonly durationMs: number;
  readonly sizeBytes: number;
  readonly angles: number;
  readonly chapters: readonly Chapter[];
  readonly parts: readonly TitlePart[];
  readonly video: VideoTrack;
  readonly audio: readonly AudioTrack[];
  readonly subtitles: readonly SubtitleTrack[];
  /** 16 entries of 0x00YYCrCb, for the subpictures. */
  readonly palette: readonly number[];
}

export type RemarkCode =
  | 'backup-used'
  | 'backup-differs'
  | 'structure-lost'
  | 'table-damaged'
  | 'mirror-used'
  | 'image-cut-short'
  | 'beyond-end'
  | 'scrambled'
  | 'stream-differs'
  | 'no-titles';

/** Something about the disc or a title that the user should know. Words are the interface's; `detail` is for the log. */
export interface Remark {
  readonly code: RemarkCode;
  readonly severity: 'note' | 'warning' | 'fault';
  /** Title it is about; null for the disc. */
  readonly title: number | null;
  readonly detail: string;
}

export interface TitleRoute {
  readonly title: number;
  readonly by: 'play' | 'button';
  readonly menus: number;
  readonly button: number;
  readonly selected: boolean;
}

/** Content that is on the disc and no title leads to. */
export interface LooseStretch {
  readonly id: string;
  readonly titleSet: number;
  /** Sectors from the start of the title set's VOBs; the last is included. */
  readonly firstSector: number;
  readonly lastSector: number;
  readonly discSector: number;
  /** By its own navigation packs; null where they do not say. */
  readonly durationMs: number | null;
  /** Program chain of the title set that plays it all the same, from 1; null where none does. */
  readonly chain: number | null;
}

export interface Reading {
  readonly version: typeof READING_VERSION;
  readonly kind: 'DVD-Video';
  /** The volume's label: foreign text. */
  readonly label: string;
  readonly fileSystem: 'ISO 9660' | 'UDF' | 'folder';
  readonly sizeBytes: number;
  /** SHA-256 over the disc's structure files: the same for every copy of the same pressing. */
  readonly fingerprint: string;
  readonly titleSets: number;
  readonly titles: readonly Title[];
  readonly segments: readonly Segment[];
  readonly loose: readonly LooseStretch[];
  readonly routes: readonly TitleRoute[];
  readonly remarks: readonly Remark[];
}

/** Brings a reading of an earlier version up to date, as far as it says anything; leaves everything else as it is. */
export function upgradeReading(value: unknown): unknown {
  if (typeof value !== 'object' || value === null || !('version' in value) || value.version !== 1) return value;
  // Version 1 did not look for what no title leads to: nothing is known of it until the disc is read again.
  return { ...value, version: 2, loose: [] };
}

/** Parts of a title that a viewer of one angle sees, in order. */
export function partsOfAngle(title: Title, angle: number): readonly TitlePart[] {
  return title.parts.filter((part) => part.angle === null || part.angle === angle);
}
