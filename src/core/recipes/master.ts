import { DiscError } from '../bytes';
import type { AssembledTrack, LpcmPacking, Packet, PacketStream } from '../assembly';
import {
  MatroskaWriter,
  identifier,
  type Crc32,
  type DescribedTrack,
  type MatroskaDescription,
  type MatroskaSink,
  type MatroskaTrack,
} from '../matroska';
import type { CreateHash, PayloadHash } from '../proof/hash';
import type { AudioCodec, Reading, SubtitleCodec, VideoCodec, Wholeness } from '../reading';
import type { AddedAudio, Reel } from '../reels/model';
import { plannedChapters, reelMs } from '../reels/pieces';
import { CODE, findStartCode, ticksToNs } from '../streams';
import { AddedAudioTrack } from './added-audio';
import { AddedTrack } from './added-subtitles';
import { BesideWriter } from './beside';
import { workAttachments, workTags } from './describe-work';
import { vobSubHeader } from './palette';

/** What of a stream was not taken, for one reason: in how many places, and how long it would have lasted (0 where that is not known). */
export interface Left {
  readonly reason: string;
  readonly bytes: number;
  readonly frames: number;
  readonly ms: number;
}

/** What was promised of one track: the proof compares the finished file with it. */
export interface TrackPromise {
  readonly kind: 'video' | 'audio' | 'subtitle';
  readonly stream: number;
  readonly codecId: string;
  readonly language: string | null;
  readonly packets: number;
  /** Bytes taken from the disc, in the disc's own packing. */
  readonly bytes: number;
  /** Payload hash over those bytes, in order; of H.264 and HEVC over units behind their lengths, without start codes. */
  readonly hash: string;
  /** LPCM is re-packed; this layout turns it back. Null where the bytes are kept as they are. */
  readonly lpcm: LpcmPacking | null;
  readonly left: readonly Left[];
  readonly seenBytes: number;
  readonly irregularities: number;
  /** Subtitles: when events are shown that are forced, milliseconds. */
  readonly forcedAtMs: readonly number[];
  /** First and last moment, milliseconds of the output: when its first and its last packet begin. Null for a track without any. */
  readonly fromMs: number | null;
  readonly toMs: number | null;
}

export interface MasterPromise {
  readonly durationMs: number;
  readonly frames: number;
  readonly interlaced: boolean;
  readonly chapters: readonly { readonly startMs: number; readonly name: string }[];
  readonly tracks: readonly TrackPromise[];
  /** What reading showed of the disc itself; null where only a container says anything. */
  readonly wholeness: Wholeness | null;
  /** The archivist wants what there is, with gaps, where the disc is not whole. */
  readonly around: boolean;
}

export interface MasterOptions {
  readonly application: string;
  /** Identifiers in the file come from this: the same reel of the same disc gives the same file. */
  readonly seed: string;
  readonly createHash: CreateHash;
  readonly crc32?: Crc32;
  readonly onProgress?: (readBytes: number, totalBytes: number) => void;
  /** Opens sound from a file beside the disc as a Matroska stream with that one track. A reel that adds some can not do without. */
  readonly openAdded?: (audio: AddedAudio) => AsyncIterable<Uint8Array>;
  /** Where a subtitle track (by its place in the reel) is written beside the result as well; null for one that is not. */
  readonly openBeside?: (subtitle: number) => Promise<MatroskaSink | null>;
  readonly signal?: AbortSignal;
}

const TAP_NONE = () => undefined;

/** Hashes every taken byte per track: hand `tap` to the assembly. */
export class TrackHashes {
  private readonly hashes: (PayloadHash | undefined)[] = [];
  constructor(private readonly createHash: CreateHash) {}
  readonly tap = (track: number, data: Uint8Array): void => {
    (this.hashes[track] ??= this.createHash()).update(data);
  };
  digest(track: number): string {
    return (this.hashes[track] ??= this.createHash()).digest();
  }
}

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
const codecId = (codec: VideoCodec | AudioCodec | SubtitleCodec): string => CODEC_IDS[codec] ?? '';

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

class Describer {
  private firstPicture: Uint8Array | null = null;
  constructor(
    private readonly assembly: PacketStream,
    private readonly reel: Reel,
    private readonly reading: Reading,
    private readonly options: MasterOptions,
    private readonly added: readonly (AddedTrack | AddedAudioTrack)[],
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
        ...this.added.map((t, i) => t.describe(identifier(options.seed, `added track ${String(i + 1)}`))),
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
      name: this.reel.chapterNames[i]?.trim() || name || `Chapter ${String(i + 1)}`,
    }));
  }

  private track(track: AssembledTrack, index: number): MatroskaTrack {
    const uid = identifier(this.options.seed, `track ${String(index + 1)}`);
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
        twoViews: source.secondView && { baseIsRight: source.secondView.baseIsRight, configuration: picture?.secondView ?? null },
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

/**
 * Writes a reel as a Matroska master: the disc's own streams, nothing re-encoded.
 * @returns what the finished file must hold, for the proof.
 * @throws what the assembly and the sink throw; the file is then not finished.
 */
export async function writeMaster(
  assembly: PacketStream,
  hashes: TrackHashes,
  reading: Reading,
  reel: Reel,
  sink: MatroskaSink,
  options: MasterOptions,
): Promise<MasterPromise> {
  const count = assembly.tracks.length;
  const sounds = openSounds(reel, count, options);
  const texts = (reel.added ?? []).map((a, i) => new AddedTrack(count + sounds.length + i, a, options.createHash(), i));
  const added = [...sounds, ...texts];
  const describer = new Describer(assembly, reel, reading, options, added);
  const writer = new MatroskaWriter(sink, count + added.length, 0, options.crc32);
  texts.forEach((_, i) => writer.wantsDuration.add(count + sounds.length + i));
  const beside = await openBesideWriters(assembly, options);
  const spans: (Span | undefined)[] = [];
  const seeMoment = (track: number, ticks: number) => {
    const span = (spans[track] ??= { from: ticks, to: ticks });
    if (ticks < span.from) span.from = ticks;
    if (ticks > span.to) span.to = ticks;
  };
  const addUntil = async (ticks: number, endTicks?: number) => {
    for (const track of added)
      for await (const frame of track.until(ticks, endTicks)) {
        seeMoment(frame.track, frame.ticks);
        writer.add(frame);
        if (writer.pending) await writer.flush();
      }
  };
  assembly.tracks.forEach((track, i) => {
    if (track.kind === 'subtitle') writer.wantsDuration.add(i);
  });
  const report = options.onProgress ?? TAP_NONE;
  const estimateMs = reelMs(reading.titles, reel.pieces);
  let begun = false;
  try {
    for (const sound of sounds) await sound.open();
    while (await assembly.fill()) {
      for (let packet = assembly.take(); packet; packet = assembly.take()) {
        if (describer.needsPicture) describer.see(packet);
        if (!begun) {
          begun = true;
          const head = describer.describe(estimateMs * 1e6);
          await writer.begin(head);
          for (const file of beside.values()) await file.begin(head);
        }
        seeMoment(packet.track, packet.ticks);
        if (added.length > 0 && packet.track === 0) await addUntil(packet.ticks);
        writer.add(packet);
        if (beside.size > 0) await beside.get(packet.track)?.put(packet);
        if (writer.pending) await writer.flush();
      }
      report(assembly.readBytes, assembly.totalBytes);
    }
    if (!begun) await writer.begin(describer.describe(null));
    await addUntil(assembly.endTicks, assembly.endTicks);
    for (const sound of sounds) await sound.drain();
    const end = describer.describe(null);
    await writer.finish(end);
    for (const file of beside.values()) await file.finish(end);
  } finally {
    for (const sound of sounds) await sound.close();
  }
  return {
    durationMs: assembly.endTicks / 27_000,
    frames: assembly.account(0).packets,
    interlaced: describer.interlaced,
    chapters: [...(reel.chapters ?? assembly.outputChapters().map((c) => ({ startMs: c.startTicks / 27_000, name: c.name })))],
    tracks: [...assembly.tracks.map((track, i) => trackPromise(assembly, hashes, track, i)), ...added.map((track) => track.promise())].map(
      (track, i) => ({ ...track, ...momentsOf(spans[i]) }),
    ),
    wholeness: assembly.wholeness(),
    around: reel.damage === 'around',
  };
}

/** @throws DiscError `unsupported` where sound from a file is asked for and none can be opened here. */
function openSounds(reel: Reel, firstTrack: number, { openAdded, createHash, signal }: MasterOptions): AddedAudioTrack[] {
  const wanted = reel.addedAudio ?? [];
  if (wanted.length > 0 && !openAdded)
    throw new DiscError('unsupported', { source: wanted[0]?.source.path ?? '', byteOffset: 0 }, 'Sound from a file can not be added here');
  return wanted.flatMap((a, i) => (openAdded ? [new AddedAudioTrack(firstTrack + i, a, createHash(), i, openAdded(a), signal)] : []));
}

/** Writers of the subtitle tracks that go to files of their own as well, by track of the result. */
async function openBesideWriters(assembly: PacketStream, { openBeside, crc32 }: MasterOptions): Promise<Map<number, BesideWriter>> {
  const writers = new Map<number, BesideWriter>();
  if (!openBeside) return writers;
  let subtitle = 0;
  for (const [track, { kind }] of assembly.tracks.entries()) {
    if (kind !== 'subtitle') continue;
    const sink = await openBeside(subtitle++);
    if (sink) writers.set(track, new BesideWriter(sink, track, crc32));
  }
  return writers;
}

/** First and last moment of a track, in ticks. */
interface Span {
  from: number;
  to: number;
}

const momentsOf = (span: Span | undefined): Pick<TrackPromise, 'fromMs' | 'toMs'> => ({
  fromMs: span ? span.from / 27_000 : null,
  toMs: span ? span.to / 27_000 : null,
});

function trackPromise(assembly: PacketStream, hashes: TrackHashes, track: AssembledTrack, index: number): TrackPromise {
  const account = assembly.account(index);
  return {
    kind: track.kind,
    stream: track.source.stream,
    codecId: assembly.described(index)?.codecId ?? codecId(track.source.codec),
    language: track.kind === 'video' ? null : track.taken.language,
    packets: account.packets,
    bytes: account.takenBytes,
    hash: hashes.digest(index),
    lpcm: track.kind === 'audio' ? track.lpcm : null,
    left: [...account.left].map(([reason, { ticks, ...sum }]) => ({ reason, ...sum, ms: Math.round(ticks / 27_000) })),
    seenBytes: account.seenBytes,
    irregularities: account.irregularityCount,
    forcedAtMs: assembly.forcedTicks(index).map((ticks) => Math.round(ticks / 27_000)),
    fromMs: null, // known to the writer
    toMs: null,
  };
}
