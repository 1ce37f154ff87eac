import type { AudioTrack, SubtitleTrack, TitleMeasure, VideoTrack } from './tracks';

/** The reading of a source: pure data, JSON all the way down. `contract/reading.ts` holds the matching schema. */

export const READING_VERSION = 6;

/** What every segment says, whatever the disc. */
interface SegmentPlace {
  readonly id: string;
  /** Name of what it stands in: a title set ("VTS_01") or a clip ("00001"). */
  readonly content: string;
  /** Sectors of 2,048 bytes, from the start of that content; the last is included. */
  readonly firstSector: number;
  readonly lastSector: number;
  /** Address on the disc, or in a folder's files put one after the other. */
  readonly discSector: number;
  readonly durationMs: number;
  /** Seconds that the player waits after it; null for one that waits for the viewer. */
  readonly stillSeconds: number | null;
}

/** A cell of a DVD. */
export interface CellSegment extends SegmentPlace {
  readonly kind: 'cell';
  readonly titleSet: number;
  readonly vobId: number;
  readonly cellId: number;
  readonly interleaved: boolean;
  readonly seamless: boolean;
  readonly clockRestarts: boolean;
}

/** A stretch of a Blu-ray clip between two times at which some title begins, ends or has a chapter. */
export interface ClipSegment extends SegmentPlace {
  readonly kind: 'clip';
  /** Presentation times in the clip's own clock. */
  readonly in90k: number;
  readonly out90k: number;
  /** Source packets of 192 bytes from which and up to which it is read; the end is not included. */
  readonly firstPacket: number;
  readonly endPacket: number;
  /** Of a clip with several clocks: the packets of the one that its times count in. */
  readonly clock?: { readonly firstPacket: number; readonly endPacket: number } | undefined;
}

/** A stretch of a plain video file between two chapters. Its sectors are only as the file's bytes are spread over its time. */
export interface SpanSegment extends SegmentPlace {
  readonly kind: 'span';
  readonly fromMs: number;
  readonly toMs: number;
}

/** A run of disc content that titles are made of. Identity is the content's address, so titles can share it. */
export type Segment = CellSegment | ClipSegment | SpanSegment;

export interface Chapter {
  readonly number: number;
  /** Place in the title's playing time. */
  readonly startMs: number;
  readonly durationMs: number;
  /** Index into the title's `parts` of its first part. */
  readonly firstPart: number;
  /** Something in it is missing or can not be read. */
  readonly damaged: boolean;
  /** As a plain video file names it; null on discs, whose chapters have no names. */
  readonly name: string | null;
}

/** `damaged`: some chapters can be had whole; `cut short`: none can. */
export type TitleState = 'usable' | 'damaged' | 'scrambled' | 'cut short' | 'unreadable';

/** Whether something can be made of a title, at least in part. */
export const canBeTaken = ({ state }: { readonly state: TitleState }): boolean => state === 'usable' || state === 'damaged';

/** Not in the image at all; there and not readable; or readable, and not what belongs there. */
export type DamageCause = 'missing' | 'unreadable' | 'spoilt';

/** Content that can not be had. */
export interface DamageStretch {
  readonly content: string;
  /** Sectors from the start of that content; the last is included. */
  readonly firstSector: number;
  readonly lastSector: number;
  readonly cause: DamageCause;
}

/** One step of a title: a segment, and the angle it belongs to (null outside an angle block). */
export interface TitlePart {
  readonly segment: string;
  readonly angle: number | null;
  /** Clip that carries the second view meanwhile; null where there is none. */
  readonly companion: string | null;
  /** Its sound goes on from the part before without a break. */
  readonly seamless: boolean;
  /** Its file goes on in the very packets of the one before, with the same clock. */
  readonly oneClock?: boolean | undefined;
  /** Streams of the title that stand on other PIDs here; null where all stand where the title says. */
  readonly moved: readonly MovedStream[] | null;
  /** Seconds that its last picture stands in this title, null until the viewer goes on; where it is not there, as its segment says. */
  readonly stillSeconds?: number | null | undefined;
}

/** A stream that stands elsewhere in a part: `stream` is its key in the title, `pid` where it is; null where the part has none. */
export interface MovedStream {
  readonly stream: number;
  readonly pid: number | null;
}

export interface Title {
  /** Number on the disc, from 1. */
  readonly number: number;
  /** Where a DVD lists it; null on Blu-ray. */
  readonly titleSet: number | null;
  readonly titleInSet: number | null;
  /** Number of the playlist; null on DVD. */
  readonly playlist: number | null;
  /** Title that this is a second picture for, which a player lays over it; null for every other. */
  readonly over: number | null;
  readonly state: TitleState;
  /** Parental levels (1 to 8) at which a player shows it; null where the disc makes no difference. */
  readonly levels: readonly number[] | null;
  /** What was measured of its content on request; null before. */
  readonly measured: TitleMeasure | null;
  /** Hash of sampled content, where another title of the same length made comparing worth while. */
  readonly sample: string | null;
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
  | 'too-many'
  | 'no-titles'
  /** Something in a plain file that is not a picture, sound or subtitles. */
  | 'not-taken'
  /** Some of what was looked into holds something else than belongs there. */
  | 'content-spoilt'
  /** Languages stand on other streams in some parts of a title, or do not go on in them. */
  | 'streams-moved'
  /** Something that plays beside a title, in clips of its own, is not taken. */
  | 'beside-title'
  /** Pictures of a title stand still for a time that the disc says, or until a viewer goes on. */
  | 'stills'
  /** Two copies of a structure differ, and the content agrees with one of them. */
  | 'copies-disagree';

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
  /** `play`: without any button; `button`: by one of a menu; `index`: the disc's list of titles names it. */
  readonly by: 'play' | 'button' | 'index';
  readonly menus: number;
  /** Place of the button, or number in the list of titles. */
  readonly button: number;
  readonly selected: boolean;
}

/** Content that is on the disc and no title leads to. */
export interface LooseStretch {
  readonly id: string;
  /** Title set ("VTS_01") or clip ("00001"). */
  readonly content: string;
  /** Sectors from the start of that content; the last is included. */
  readonly firstSector: number;
  readonly lastSector: number;
  readonly discSector: number;
  /** By its own navigation packs; null where they do not say. */
  readonly durationMs: number | null;
  /** Program chain of the title set that plays it all the same, from 1; null where none does. */
  readonly chain: number | null;
}

export type DiscKind = 'DVD-Video' | 'Blu-ray' | 'Ultra HD Blu-ray' | 'Video file';

/** How much of a clip one of its streams makes up: what sizes are estimated from. */
export interface StreamShare {
  readonly content: string;
  /** PID. */
  readonly stream: number;
  /** Of the content's bytes, 0 to 1. */
  readonly share: number;
  /** Size of the content. */
  readonly contentBytes: number;
}

/** Sectors looked into, of those that titles need. */
export interface Looked {
  readonly sectors: number;
  readonly of: number;
}

export interface Reading {
  readonly version: typeof READING_VERSION;
  readonly kind: DiscKind;
  /** The volume's label: foreign text. */
  readonly label: string;
  readonly fileSystem: 'ISO 9660' | 'UDF' | 'folder' | 'file';
  readonly sizeBytes: number;
  /** SHA-256 over the disc's structure files: the same for every copy of the same pressing. */
  readonly fingerprint: string;
  /** Title sets of a DVD, clips of a Blu-ray. */
  readonly contents: number;
  /** Names that the disc's own library card gives, by language (BCP 47). */
  readonly names: readonly { readonly language: string; readonly name: string }[];
  /** Java programs choose what is played: then not all routes can be followed. */
  readonly javaMenus: boolean;
  readonly titles: readonly Title[];
  readonly segments: readonly Segment[];
  /** Sampled from the largest clips of a Blu-ray; not there for other discs. */
  readonly shares?: readonly StreamShare[] | undefined;
  readonly loose: readonly LooseStretch[];
  /** Found while reading; all of it only after a scan on request. */
  readonly damage: readonly DamageStretch[];
  /** How much of the content was looked into while the disc was read; null where that was not done. */
  readonly looked: Looked | null;
  readonly routes: readonly TitleRoute[];
  readonly remarks: readonly Remark[];
}

/** A still that waits for the viewer is held for so long: a file has to go on. */
export const ENDLESS_STILL_SECONDS = 10;

/** How long the last picture of a cell stands behind it in a title, milliseconds: each use of a cell says so itself. */
export function stillMs({ stillSeconds }: Pick<TitlePart, 'stillSeconds'>, segment: Segment): number {
  if (segment.kind !== 'cell') return 0;
  const seconds = stillSeconds === undefined ? segment.stillSeconds : stillSeconds;
  return (seconds ?? ENDLESS_STILL_SECONDS) * 1000;
}

/** Parts of a title that a viewer of one angle sees, in order. */
export function partsOfAngle(title: Title, angle: number): readonly TitlePart[] {
  return title.parts.filter((part) => part.angle === null || part.angle === angle);
}
