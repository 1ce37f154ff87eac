import type { AssembledTrack, Packet, PacketStream } from '../assembly';
import { identifier, type DescribedTrack, type MatroskaDescription, type MatroskaTrack } from '../matroska';
import type { AudioCodec, Reading, SubtitleCodec, VideoCodec } from '../reading';
import { firstIsRight } from '../reels/first-eye';
import type { Reel } from '../reels/model';
import { isHalf } from '../recipes/views';
import { plannedChapters } from '../reels/pieces';
import { CODE, findStartCode, ticksToNs } from '../streams';
import type { AddedStreamTrack } from './added-stream';
import type { AddedTrack } from './added-subtitles';
import { workAttachments, workTags } from './describe-work';
import type { MasterOptions } from './options';
import { vobSubHeader } from './palette';

/** Of the streams that discs carry. What a plain file carries keeps the name that its container gives it. */
const CODEC_IDS: Readonly<Partial<Record<VideoCodec | AudioCodec | SubtitleCodec, string>>> = {
  'MPEG-1': 'V_MPEG1',
  'MPEG-2': 'V_MPEG2',
  'H.264': 'V_MPEG4/ISO/AVC',
  HEVC: 'V_MPEGH/ISO/HEVC',
  'VC-1': 'V_MS/VFW/FOURCC',
  'AC-3': 'A_AC3',
  'E-AC-3': 'A_EAC3',
  TrueHD: 'A_TRUEHD',
  DTS: 'A_DTS',
  'DTS-HD': 'A_DTS',
  'DTS-HD Master': 'A_DTS',
  'DTS Express': 'A_DTS',
  LPCM: 'A_PCM/INT/LIT',
  'MPEG audio': 'A_MPEG/L2',
  VobSub: 'S_VOBSUB',
  PGS: 'S_HDMV/PGS',
  text: 'S_HDMV/TEXTST',
};
export const codecId = (codec: VideoCodec | AudioCodec | SubtitleCodec): string => CODEC_IDS[codec] ?? '';

/** The sequence header of the first picture, with its extension: what a decoder needs before the first frame. */
function sequenceBytes(frame: Uint8Array): Uint8Array | null {
  let start = -1;
  for (let at = findStartCode(frame, 0, frame.byteLength); at >= 0; at = findStartCode(frame, at + 3, frame.byteLength)) {
    const code = frame[at + 3];
    if (code === CODE.sequence) start = at;
    else if (start >= 0 && (code === CODE.group || code === CODE.picture)) return frame.slice(start, at);
  }
  return null;
}

/** Frames of TrueHD last 0.83 ms: counted in whole milliseconds some would have the same time. */
const FINE_SCALE_NS = 100_000;
const WHOLE_MS_NS = 1_000_000;

/** Share of frames that must carry a flag for the track to carry it. */
const MOST = 0.5;

/** Describes a stream as a master's head has it: before its end is known by the disc's tables, afterwards by what was seen. */
export class Describer {
  private firstPicture: Uint8Array | null = null;
  constructor(
    private readonly assembly: PacketStream,
    private readonly reel: Reel,
    private readonly reading: Reading,
    private readonly options: MasterOptions,
    private readonly added: readonly (AddedTrack | AddedStreamTrack)[],
  ) {}

  see(packet: Packet): void {
    if (packet.track !== 0) return;
    this.firstPicture = this.assembly.picture?.configuration ?? sequenceBytes(packet.data);
  }

  get needsPicture(): boolean {
    return this.firstPicture === null && this.assembly.described(0) === null;
  }

  get interlaced(): boolean {
    const { frames, progressive } = this.assembly.videoCounts;
    return frames > 0 && progressive / frames < MOST;
  }

  describe(estimateNs: number | null): MatroskaDescription {
    const { assembly, reel, reading, options } = this;
    const endNs = estimateNs ?? ticksToNs(assembly.endTicks);
    const own = reel.chapters?.map((c) => ({ startNs: Math.round(c.startMs * 1e6), name: c.name }));
    const starts =
      own ??
      (estimateNs === null
        ? assembly.outputChapters().map((c) => ({ startNs: ticksToNs(c.startTicks), name: c.name }))
        : this.plannedChapters());
    const chapters = starts.map((c, i) => ({ ...c, endNs: starts[i + 1]?.startNs ?? endNs }));
    return {
      title: reel.tags?.work || reel.name, // the one place: readers take a tag of the same name for another title
      application: options.application,
      seed: options.seed,
      tracks: [
        ...assembly.tracks.map((t, i) => this.track(t, i)),
        ...this.added.map((t, i) => t.describe(identifier(options.seed, `added track ${i + 1}`))),
      ],
      chapters,
      tags: workTags(reel, reading),
      attachments: workAttachments(reel.tags),
      durationNs: endNs,
      timestampScaleNs: assembly.tracks.some((t) => t.kind === 'audio' && t.source.codec === 'TrueHD') ? FINE_SCALE_NS : WHOLE_MS_NS,
    };
  }

  /** Before the end is known, chapters from the tables keep their room in the head (and serve in a pipe). */
  private plannedChapters(): { startNs: number; name: string }[] {
    return plannedChapters(this.reading.titles, this.reel.pieces).map(({ startMs, name }, i) => ({
      startNs: Math.round(startMs * 1e6),
      name: this.reel.chapterNames[i]?.trim() || name || `Chapter ${i + 1}`,
    }));
  }

  private track(track: AssembledTrack, index: number): MatroskaTrack {
    const uid = identifier(this.options.seed, `track ${index + 1}`);
    const described = this.assembly.described(index);
    if (described) return keptTrack(track, described, uid);
    if (track.kind === 'video') {
      const { picture } = this.assembly;
      const { source } = track;
      return {
        kind: 'video',
        uid,
        codecId: codecId(picture?.mpeg1 ? 'MPEG-1' : source.codec === 'MPEG-1' && picture ? 'MPEG-2' : source.codec),
        codecPrivate: this.firstPicture,
        name: '',
        language: null,
        isDefault: true,
        isForced: false,
        isCommentary: false,
        isHearingImpaired: false,
        isVisuallyImpaired: false,
        isOriginal: false,
        defaultDurationNs: this.frameNs(),
        pixelWidth: picture?.widthPixels ?? source.widthPixels,
        pixelHeight: picture?.heightPixels ?? source.heightPixels,
        displayAspect: picture?.displayAspect ?? source.displayAspect,
        colour:
          picture && (picture.colour ?? picture.hdr10 ?? (picture.bitDepth > 8 || null))
            ? { codes: picture.colour, bitsPerChannel: picture.bitDepth, chroma: picture.chroma, hdr10: picture.hdr10 }
            : null,
        twoViews: source.secondView && { baseIsRight: firstIsRight(source, this.reel), configuration: picture?.secondView ?? null },
        packed: this.reel.packed ? { ...this.reel.packed, half: isHalf(this.reel.packed, source.displayAspect) } : null,
        interlacing: this.interlaced ? 'interlaced' : 'progressive',
        topFieldFirst: this.assembly.videoCounts.topFieldFirst / Math.max(1, this.assembly.videoCounts.frames) >= MOST,
      };
    }
    const { taken, source } = track;
    const common = {
      uid,
      name: taken.name,
      language: taken.language,
      isDefault: taken.isDefault,
      isForced: taken.isForced,
      isCommentary: taken.isCommentary,
      isHearingImpaired: taken.isHearingImpaired,
      isVisuallyImpaired: taken.isVisuallyImpaired,
      isOriginal: taken.isOriginal,
      codecId: codecId(source.codec),
      defaultDurationNs: null,
    };
    if (track.kind === 'subtitle') {
      if (track.source.codec !== 'VobSub') return { kind: 'subtitle', ...common, codecPrivate: this.assembly.subtitleHeader(index) };
      const video = this.assembly.tracks[0];
      const size = video?.kind === 'video' ? video.source : { widthPixels: 720, heightPixels: 576 };
      return { kind: 'subtitle', ...common, codecPrivate: vobSubHeader(track.palette, size.widthPixels, size.heightPixels) };
    }
    const header = this.assembly.audioHeader(index);
    return {
      kind: 'audio',
      ...common,
      codecPrivate: null,
      sampleRateHz: header?.sampleRateHz ?? track.source.sampleRateHz,
      channels: header?.channels ?? track.source.channels,
      bitDepth: track.lpcm ? (track.lpcm.bitDepth === 16 ? 16 : 24) : track.source.bitDepth,
      defaultDurationNs: header && header.samples > 0 ? Math.round((header.samples * 1e9) / header.sampleRateHz) : null,
    };
  }

  /** One duration for all frames, where they have one: with mixed pulldown there is none. */
  private frameNs(): number | null {
    const { frames, totalTicks, repeated } = this.assembly.videoCounts;
    const nominal = this.assembly.picture?.frameTicks ?? 0;
    if (frames === 0 || repeated === 0) return nominal ? ticksToNs(nominal) : null;
    const film = nominal * 1.25;
    return Math.abs(totalTicks / frames / film - 1) < 0.001 ? ticksToNs(film) : null;
  }
}

/** The track of a stream's picture, as a master would describe it after its first frame. */
export function describePictureTrack(
  assembly: PacketStream,
  reel: Reel,
  reading: Reading,
  options: MasterOptions,
  first: Packet,
): MatroskaTrack {
  const describer = new Describer(assembly, reel, reading, options, []);
  describer.see(first);
  return describer.describe(null).tracks[0] as MatroskaTrack;
}

/** A track of a plain file: the stream as its container describes it, with the names and flags that the reel gives it. */
function keptTrack(track: AssembledTrack, described: DescribedTrack, uid: bigint): MatroskaTrack {
  const taken = track.kind === 'video' ? null : track.taken;
  return {
    kind: 'kept',
    type: track.kind,
    uid,
    codecId: described.codecId,
    codecPrivate: null, // among the elements
    elements: described.elements,
    name: taken?.name ?? '',
    language: taken?.language ?? null,
    isDefault: taken?.isDefault ?? true,
    isForced: taken?.isForced ?? false,
    isCommentary: taken?.isCommentary ?? false,
    isHearingImpaired: taken?.isHearingImpaired ?? false,
    isVisuallyImpaired: taken?.isVisuallyImpaired ?? false,
    isOriginal: taken?.isOriginal ?? false,
    defaultDurationNs: null,
  };
}
