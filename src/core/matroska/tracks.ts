import { concatBytes } from '../bytes';
import { ID, MVC_CONFIGURATION, binary, float64, master, uint, utf8 } from './ebml';
import type { Hdr10 } from '../streams';
import { iso639_2 } from './languages';

interface CommonTrack {
  readonly uid: bigint;
  readonly codecId: string;
  readonly codecPrivate: Uint8Array | null;
  readonly name: string;
  readonly language: string | null;
  readonly isDefault: boolean;
  readonly isForced: boolean;
  readonly isCommentary: boolean;
  readonly isHearingImpaired: boolean;
  readonly isVisuallyImpaired: boolean;
  readonly isOriginal: boolean;
  /** Nanoseconds per frame; null where frames differ. */
  readonly defaultDurationNs: number | null;
}

export interface MatroskaVideoTrack extends CommonTrack {
  readonly kind: 'video';
  readonly pixelWidth: number;
  readonly pixelHeight: number;
  readonly displayAspect: readonly [number, number];
  /** RFC 9559 5.1.4.1.28.1 and .2. */
  readonly interlacing: 'interlaced' | 'progressive' | 'undetermined';
  readonly topFieldFirst: boolean | null;
  readonly colour: MatroskaColour | null;
  /** Both views stand in each block; the configuration of the second one. */
  readonly twoViews: { readonly baseIsRight: boolean; readonly configuration: Uint8Array | null } | null;
  /** Both views stand in one picture; `half`: squeezed into it. */
  readonly packed: { readonly packing: 'beside' | 'below'; readonly first: 'left' | 'right'; readonly half: boolean } | null;
}

/** RFC 9559 5.1.4.1.28.16 to .41; code points of ITU-T H.273. */
export interface MatroskaColour {
  readonly codes: { readonly matrix: number; readonly transfer: number; readonly primaries: number; readonly fullRange: boolean } | null;
  readonly bitsPerChannel: number;
  /** 1: 4:2:0, 2: 4:2:2, 3: 4:4:4. */
  readonly chroma: number;
  readonly hdr10: Hdr10 | null;
}

export interface MatroskaAudioTrack extends CommonTrack {
  readonly kind: 'audio';
  readonly sampleRateHz: number;
  readonly channels: number;
  readonly bitDepth: number | null;
}
export interface MatroskaSubtitleTrack extends CommonTrack {
  readonly kind: 'subtitle';
}
/** A track that another file describes: its own elements are taken over as they stand. */
export interface MatroskaKeptTrack extends CommonTrack {
  readonly kind: 'kept';
  readonly type: 'video' | 'audio' | 'subtitle';
  readonly elements: Uint8Array;
}
export type MatroskaTrack = MatroskaKeptTrack | MatroskaVideoTrack | MatroskaAudioTrack | MatroskaSubtitleTrack;

const TYPE = { video: 1, audio: 2, subtitle: 17 } as const;
const INTERLACED = { undetermined: 0, interlaced: 1, progressive: 2 } as const;
/**
 * FieldOrder (RFC 9559 5.1.4.1.28.2): which field is shown first. Of the two values for each, those are taken whose
 * meaning is the same in the RFC and in FFmpeg's reading; 9 and 14 are read there as the opposite order of display.
 */
const FIELD_ORDER = { top: 1, bottom: 6 } as const;

/** StereoMode: both views in one block, the left or the right eye's first (RFC 9559 table 4). */
export const LACED_VIEWS = { left: 13, right: 14 } as const;
/** StereoMode of pictures that hold both views (RFC 9559 table 4). */
const PACKED_VIEWS = { beside: { left: 1, right: 11 }, below: { left: 3, right: 2 } } as const;

const flag = (id: number, value: boolean, byDefault = false) => (value === byDefault ? null : uint(id, value ? 1 : 0));

/** Display size in pixels of a square-pixel screen: the height is kept, the width follows the aspect. */
export function displaySize(pixelHeight: number, aspect: readonly [number, number]): { width: number; height: number } {
  return { width: Math.round((pixelHeight * aspect[0]) / aspect[1]), height: pixelHeight };
}

/** Of a picture that holds two views the size of one is said (RFC 9559 5.1.4.1.28.3): squeezed ones are shown as large as the whole. */
function shownSize({ pixelHeight, displayAspect: [width, height], packed }: MatroskaVideoTrack): { width: number; height: number } {
  if (!packed || packed.half) return displaySize(pixelHeight, [width, height]);
  return packed.packing === 'beside' ? displaySize(pixelHeight, [width, height * 2]) : displaySize(pixelHeight / 2, [width * 2, height]);
}

function masteringElement(hdr: Hdr10): Uint8Array {
  // The stream gives green, blue, red, white; the container asks for red, green, blue, white.
  const [gx = 0, gy = 0, bx = 0, by = 0, rx = 0, ry = 0, wx = 0, wy = 0] = hdr.primaries.map((p) => p / 50_000);
  return master(ID.MasteringMetadata, [
    float64(ID.PrimaryRChromaticityX, rx),
    float64(ID.PrimaryRChromaticityY, ry),
    float64(ID.PrimaryGChromaticityX, gx),
    float64(ID.PrimaryGChromaticityY, gy),
    float64(ID.PrimaryBChromaticityX, bx),
    float64(ID.PrimaryBChromaticityY, by),
    float64(ID.WhitePointChromaticityX, wx),
    float64(ID.WhitePointChromaticityY, wy),
    float64(ID.LuminanceMax, hdr.maxLuminance / 10_000),
    float64(ID.LuminanceMin, hdr.minLuminance / 10_000),
  ]);
}

function colourElement(colour: MatroskaColour): Uint8Array {
  const { codes, hdr10 } = colour;
  return master(ID.Colour, [
    codes && uint(ID.MatrixCoefficients, codes.matrix),
    uint(ID.BitsPerChannel, colour.bitsPerChannel),
    uint(ID.ChromaSubsamplingHorz, colour.chroma === 3 ? 0 : 1),
    uint(ID.ChromaSubsamplingVert, colour.chroma === 1 ? 1 : 0),
    codes && uint(ID.Range, codes.fullRange ? 2 : 1),
    codes && uint(ID.TransferCharacteristics, codes.transfer),
    codes && uint(ID.Primaries, codes.primaries),
    hdr10 && hdr10.maxContentLight > 0 ? uint(ID.MaxCLL, hdr10.maxContentLight) : null,
    hdr10 && hdr10.maxFrameAverageLight > 0 ? uint(ID.MaxFALL, hdr10.maxFrameAverageLight) : null,
    hdr10 && masteringElement(hdr10),
  ]);
}

/** BlockAdditionMapping of a second view in the blocks of the first: RFC 9559 5.1.4.1.17, ISO/IEC 14496-15 7.6.3. */
export const secondViewElement = (configuration: Uint8Array) =>
  master(ID.BlockAdditionMapping, [
    utf8(ID.BlockAddIDName, 'MVC configuration'),
    uint(ID.BlockAddIDType, MVC_CONFIGURATION),
    binary(ID.BlockAddIDExtraData, configuration),
  ]);

function videoElement(track: MatroskaVideoTrack): Uint8Array {
  const display = shownSize(track);
  const order = track.topFieldFirst === null ? null : uint(ID.FieldOrder, track.topFieldFirst ? FIELD_ORDER.top : FIELD_ORDER.bottom);
  return master(ID.Video, [
    uint(ID.FlagInterlaced, INTERLACED[track.interlacing]),
    track.interlacing === 'interlaced' ? order : null,
    track.twoViews && uint(ID.StereoMode, track.twoViews.baseIsRight ? LACED_VIEWS.right : LACED_VIEWS.left),
    track.packed && uint(ID.StereoMode, PACKED_VIEWS[track.packed.packing][track.packed.first]),
    uint(ID.PixelWidth, track.pixelWidth),
    uint(ID.PixelHeight, track.pixelHeight),
    uint(ID.DisplayWidth, display.width),
    uint(ID.DisplayHeight, display.height),
    track.colour && colourElement(track.colour),
  ]);
}

/** TrackEntry. RFC 9559 5.1.4.1. @param number from 1. */
export function trackEntry(track: MatroskaTrack, number: number): Uint8Array {
  const audio =
    track.kind === 'audio'
      ? master(ID.Audio, [
          float64(ID.SamplingFrequency, track.sampleRateHz),
          uint(ID.Channels, track.channels),
          track.bitDepth === null ? null : uint(ID.BitDepth, track.bitDepth),
        ])
      : null;
  return master(ID.TrackEntry, [
    uint(ID.TrackNumber, number),
    uint(ID.TrackUID, track.uid),
    uint(ID.TrackType, TYPE[track.kind === 'kept' ? track.type : track.kind]),
    uint(ID.FlagDefault, track.isDefault ? 1 : 0),
    flag(ID.FlagForced, track.isForced),
    flag(ID.FlagHearingImpaired, track.isHearingImpaired),
    flag(ID.FlagVisualImpaired, track.isVisuallyImpaired),
    flag(ID.FlagOriginal, track.isOriginal),
    flag(ID.FlagCommentary, track.isCommentary),
    uint(ID.FlagLacing, 0),
    track.defaultDurationNs === null ? null : uint(ID.DefaultDuration, track.defaultDurationNs, 8),
    track.name ? utf8(ID.Name, track.name) : null,
    utf8(ID.Language, iso639_2(track.language)),
    utf8(ID.LanguageBCP47, track.language ?? 'und'),
    utf8(ID.CodecID, track.codecId),
    track.codecPrivate ? binary(ID.CodecPrivate, track.codecPrivate) : null,
    track.kind === 'video' && track.twoViews?.configuration ? secondViewElement(track.twoViews.configuration) : null,
    track.kind === 'video' ? videoElement(track) : track.kind === 'kept' ? track.elements : audio,
  ]);
}

export interface MatroskaChapter {
  readonly startNs: number;
  readonly endNs: number;
  readonly name: string;
}

/** Chapters: one edition. RFC 9559 5.1.7. @param uidOf gives identifiers that are the same for the same content. */
export function chaptersContent(chapters: readonly MatroskaChapter[], uidOf: (label: string) => bigint): Uint8Array {
  const atoms = chapters.map((chapter, i) =>
    master(ID.ChapterAtom, [
      uint(ID.ChapterUID, uidOf(`chapter ${i + 1}`)),
      uint(ID.ChapterTimeStart, chapter.startNs, 8),
      uint(ID.ChapterTimeEnd, chapter.endNs, 8),
      master(ID.ChapterDisplay, [utf8(ID.ChapString, chapter.name), utf8(ID.ChapLanguage, 'und'), utf8(ID.ChapLanguageBCP47, 'und')]),
    ]),
  );
  return master(ID.EditionEntry, [uint(ID.EditionUID, uidOf('edition')), uint(ID.EditionFlagDefault, 1), ...atoms]);
}

/** A tag on the whole work (target 50, "movie") or one track. RFC 9559 5.1.8. */
export interface MatroskaTag {
  readonly trackUid: bigint | null;
  /** What the tag is about, where it is not the work itself: 70 the collection it belongs to, 60 its season. */
  readonly level?: 60 | 70;
  readonly entries: readonly { readonly name: string; readonly value: string }[];
}

/** A file inside the file. RFC 9559 5.1.6. */
export interface MatroskaAttachment {
  readonly fileName: string;
  readonly mediaType: string;
  readonly data: Uint8Array;
}

export function attachmentsContent(files: readonly MatroskaAttachment[], uidOf: (label: string) => bigint): Uint8Array[] {
  return files.map((file, i) =>
    master(ID.AttachedFile, [
      utf8(ID.FileName, file.fileName),
      utf8(ID.FileMediaType, file.mediaType),
      binary(ID.FileData, file.data),
      uint(ID.FileUID, uidOf(`attachment ${i + 1}`)),
    ]),
  );
}

export function tagsContent(tags: readonly MatroskaTag[]): Uint8Array {
  return concatBytes(
    tags.map((tag) =>
      master(ID.Tag, [
        master(ID.Targets, [
          uint(ID.TargetTypeValue, tag.level ?? (tag.trackUid === null ? 50 : 30)),
          // Readers that know no levels tell names of the series from the work's own by this word.
          ...(tag.level === undefined ? [] : [utf8(ID.TargetType, tag.level === 70 ? 'COLLECTION' : 'SEASON')]),
          tag.trackUid === null ? null : uint(ID.TagTrackUID, tag.trackUid),
        ]),
        ...tag.entries.map((e) =>
          master(ID.SimpleTag, [utf8(ID.TagName, e.name), utf8(ID.TagLanguage, 'und'), utf8(ID.TagString, e.value)]),
        ),
      ]),
    ),
  );
}
