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

/** How the picture was really made, by looking at decoded samples. */
export interface MeasuredPicture {
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
  /** Streams of the title that stand on other PIDs here; null where all stand where the title says. */
  readonly moved: readonly MovedStream[] | null;
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

type Plain = Readonly<Record<string, unknown>>;
const isPlain = (value: unknown): value is Plain => typeof value === 'object' && value !== null;
const each = (list: unknown, change: (item: Plain) => Plain): unknown =>
  Array.isArray(list) ? list.map((item: unknown) => (isPlain(item) ? change(item) : item)) : list;
/** Name of a title set's content. */
export const titleSetName = (titleSet: number): string => `VTS_${String(titleSet).padStart(2, '0')}`;

/** Brings a reading of an earlier version up to date, as far as it says anything; leaves everything else as it is. */
export function upgradeReading(value: unknown): unknown {
  let reading = value;
  // Version 1 did not look for what no title leads to: nothing is known of it until the disc is read again.
  if (isPlain(reading) && reading['version'] === 1) reading = { ...reading, version: 2, loose: [] };
  if (isPlain(reading) && reading['version'] === 2) reading = fromVersion2(reading);
  if (isPlain(reading) && reading['version'] === 3) reading = fromVersion3(reading);
  if (isPlain(reading) && reading['version'] === 4) reading = fromVersion4(reading);
  if (isPlain(reading) && reading['version'] === 5) reading = fromVersion5(reading);
  return reading;
}

/**
 * Version 6 knows sound in clips of its own, and second pictures: there were none in what was read before. Readings were made and kept
 * while version 5 was still growing: what the first of them lack is put in here.
 */
function fromVersion5(reading: Plain): Plain {
  return {
    looked: null,
    ...reading,
    version: READING_VERSION,
    titles: each(reading['titles'], (t) => ({
      ...t,
      over: null,
      parts: each(t['parts'], (p) => ({ seamless: false, moved: null, ...p })),
      audio: each(t['audio'], (a) => ({ ...a, apart: null })),
    })),
  };
}

/** Version 5 knows how parts join. What is not known is no reason to cut: the disc's clock decides then. */
function fromVersion4(reading: Plain): Plain {
  return {
    ...reading,
    version: 5,
    looked: null,
    titles: each(reading['titles'], (t) => ({ ...t, parts: each(t['parts'], (p) => ({ ...p, seamless: false, moved: null })) })),
  };
}

/** Version 4 knows measurements, parental levels, and plain video files with their chapters' names. */
function fromVersion3(reading: Plain): Plain {
  return {
    ...reading,
    version: 4,
    titles: each(reading['titles'], (t) => ({
      ...t,
      levels: null,
      measured: null,
      subtitles: each(t['subtitles'], (s) => ({ ...s, apart: null })),
      chapters: each(t['chapters'], (c) => ({ ...c, name: null })),
    })),
  };
}

/** Version 3 knows Blu-ray too: all that version 2 holds is of a DVD. */
function fromVersion2(reading: Plain): Plain {
  const named = ({ titleSet, ...rest }: Plain) => ({ ...rest, content: titleSetName(Number(titleSet)) });
  const { titleSets, ...rest } = reading;
  return {
    ...rest,
    version: 3,
    contents: titleSets,
    names: [],
    javaMenus: false,
    damage: [],
    segments: each(reading['segments'], (s) => ({ ...s, ...named(s), kind: 'cell' })),
    loose: each(reading['loose'], named),
    titles: each(reading['titles'], (t) => ({
      ...t,
      playlist: null,
      sample: null,
      chapters: each(t['chapters'], (c) => ({ ...c, damaged: t['state'] === 'cut short' })),
      parts: each(t['parts'], (p) => ({ ...p, companion: null, seamless: false, moved: null })),
      audio: each(t['audio'], (a) => ({ ...a, coreOf: null })),
      video: isPlain(t['video'])
        ? {
            ...t['video'],
            stream: 0xe0,
            interlaced: null,
            profile: null,
            bitDepth: 8,
            closedCaptions: false,
            dynamicRange: 'standard',
            secondView: null,
          }
        : t['video'],
    })),
  };
}

/** Parts of a title that a viewer of one angle sees, in order. */
export function partsOfAngle(title: Title, angle: number): readonly TitlePart[] {
  return title.parts.filter((part) => part.angle === null || part.angle === angle);
}
