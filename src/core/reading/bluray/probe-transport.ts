import { concatBytes, type ByteSource } from '../../bytes';
import { CODING, type ClipStream } from '../../bluray';
import {
  ANY_CODE,
  FIRST_BEYOND_SLICES,
  H264,
  HEVC,
  SOURCE_PACKET,
  TransportDemux,
  VC1,
  findUnitCode,
  hdmvLpcmLayoutName,
  hevcType,
  lookAtTransport,
  readAc3Header,
  readDtsHdUnit,
  readEac3Unit,
  readH264Sequence,
  readHdr10,
  readHdmvLpcm,
  readHevcSequence,
  readMpegAudioHeader,
  readSequenceHeader,
  readTrueHdSync,
  readVc1Sequence,
  trimmedUnit,
  type AudioFrameHeader,
  type Hdr10,
  type PictureFormat,
} from '../../streams';

/** What a video stream's own headers say. */
export interface SeenPicture extends PictureFormat {
  readonly hdr10: Hdr10 | null;
  /** Units that only Dolby Vision uses stand in the stream. */
  readonly dolbyUnits: boolean;
}

export interface SeenAudio extends AudioFrameHeader {
  readonly bitDepth: number | null;
  /** Header of the AC-3 frames between those of a TrueHD stream. */
  readonly core: AudioFrameHeader | null;
}

export interface ClipProbe {
  readonly video: ReadonlyMap<number, SeenPicture>;
  readonly audio: ReadonlyMap<number, SeenAudio>;
  readonly protectedPackets: number;
  readonly packets: number;
}

/** Bytes of one stream that are kept for a look at its headers; a first picture of Ultra HD can be as large. */
const KEPT_BYTES = 384 * 1024;
const LOOK_AHEAD_BYTES = 96;

/** Units of an Annex B stream: each from the byte after its start code. The last may be cut off. */
export function unitsOf(data: Uint8Array): Uint8Array[] {
  const units: Uint8Array[] = [];
  let start = -1;
  for (let at = findUnitCode(data, 0, data.byteLength, ANY_CODE); at >= 0; at = findUnitCode(data, at + 3, data.byteLength, ANY_CODE)) {
    if (start >= 0) units.push(trimmedUnit(data.subarray(start, at)));
    start = at + 3;
  }
  if (start >= 0) units.push(data.subarray(start));
  return units;
}

function seePicture(coding: number, data: Uint8Array): SeenPicture | null {
  const plain = (format: PictureFormat | null) => format && { ...format, hdr10: null, dolbyUnits: false };
  if (coding === CODING.mpeg1Video || coding === CODING.mpeg2Video) {
    const at = findUnitCode(data, 0, data.byteLength, FIRST_BEYOND_SLICES);
    const header = at < 0 ? null : readSequenceHeader(data, at, data.byteLength);
    if (!header) return null;
    const { widthPixels, heightPixels, displayAspect } = header;
    const sampleAspect = displayAspect ? ([displayAspect[0] * heightPixels, displayAspect[1] * widthPixels] as const) : ([1, 1] as const);
    const framesOnly = header.progressiveSequence;
    return plain({ widthPixels, heightPixels, sampleAspect, profile: '', level: '', bitDepth: 8, chroma: 1, colour: null, framesOnly });
  }
  const units = unitsOf(data);
  const first = <T>(read: (unit: Uint8Array) => T | null): T | null => {
    for (const unit of units) {
      const found = read(unit);
      if (found !== null) return found;
    }
    return null;
  };
  if (coding === CODING.h264) return plain(first((u) => (((u[0] ?? 0) & 31) === H264.sequence ? readH264Sequence(u) : null)));
  if (coding === CODING.mvc) return plain(first((u) => (((u[0] ?? 0) & 31) === H264.subsetSequence ? readH264Sequence(u) : null)));
  if (coding === CODING.vc1) return plain(first((u) => (u[0] === VC1.sequence ? readVc1Sequence(u.subarray(1)) : null)));
  if (coding !== CODING.hevc) return null;
  const format = first((u) => (hevcType(u) === HEVC.sequence ? readHevcSequence(u) : null));
  const dolbyUnits = units.some((u) => hevcType(u) === HEVC.dolbyMetadata || hevcType(u) === HEVC.dolbyLayer);
  return format && { ...format, hdr10: readHdr10(units.filter((u) => hevcType(u) === HEVC.prefixSei)), dolbyUnits };
}

/** Sound that begins at the first byte of a PES packet, as all of it does on a disc. */
function seeAudio(coding: number, starts: readonly Uint8Array[]): SeenAudio | null {
  const plain = (header: AudioFrameHeader | null | 'more') =>
    header && header !== 'more' ? { bitDepth: null, core: null, ...header } : null;
  let core: AudioFrameHeader | null = null;
  let found: SeenAudio | null = null;
  for (const packet of starts) {
    // Where a frame ends may only be seen from what follows: zeros are no frame.
    const data = concatBytes([packet, new Uint8Array(LOOK_AHEAD_BYTES)]);
    const end = data.byteLength;
    switch (coding) {
      case CODING.lpcm: {
        const layout = readHdmvLpcm(data, 0);
        if (!layout) continue;
        const { channels, sampleRateHz, bitDepth } = layout;
        const bitRate = channels * sampleRateHz * bitDepth;
        return { frameBytes: 0, samples: 0, sampleRateHz, channels, bitRate, layout: hdmvLpcmLayoutName(layout), bitDepth, core: null };
      }
      case CODING.trueHd: {
        core ??= readAc3Header(data, 0, end);
        const sync = readTrueHdSync(data, 0, end);
        if (sync) found ??= { frameBytes: 0, bitRate: 0, bitDepth: null, core: null, ...sync };
        if (found && core) return { ...found, core };
        continue;
      }
      case CODING.dts:
      case CODING.dtsHdHigh:
      case CODING.dtsHdMaster:
      case CODING.secondaryDts:
        found = plain(readDtsHdUnit(data, 0, end));
        break;
      case CODING.mpeg1Audio:
      case CODING.mpeg2Audio:
        found = plain(readMpegAudioHeader(data, 0, end));
        break;
      default:
        found = plain(coding === CODING.ac3 ? readAc3Header(data, 0, end) : readEac3Unit(data, 0, end));
    }
    if (found) return found;
  }
  return found && { ...found, core };
}

/**
 * Looks at the first packets of a clip.
 * @throws DiscError `read-failed` from the source.
 */
export async function probeClip(source: ByteSource, streams: readonly ClipStream[], bytes: number): Promise<ClipProbe> {
  const data = new Uint8Array(Math.floor(Math.min(bytes, source.sizeBytes) / SOURCE_PACKET) * SOURCE_PACKET);
  const got = await source.read(0, data);
  const whole = data.subarray(0, got - (got % SOURCE_PACKET));
  const look = lookAtTransport(whole);
  const wanted = new Map(streams.filter((s) => s.attributes.kind === 'video' || s.attributes.kind === 'audio').map((s) => [s.pid, s]));
  const kept = new Map<number, { bytes: number; chunks: Uint8Array[] }>();
  const starts = new Map<number, Uint8Array[]>();
  const demux = new TransportDemux({
    transport: (pid, payload, from, to, _pts, _dts, begins) => {
      const isAudio = wanted.get(pid)?.attributes.kind === 'audio';
      const own = kept.get(pid) ?? { bytes: 0, chunks: [] };
      if (own.bytes > KEPT_BYTES) return;
      own.bytes += to - from;
      const piece = payload.slice(from, to);
      if (isAudio) {
        const list = starts.get(pid) ?? [];
        const last = list[list.length - 1];
        // A file that goes on from another one may begin inside a packet: its rest has no head to be read.
        if (begins) list.push(piece);
        else if (last) list[list.length - 1] = concatBytes([last, piece]);
        starts.set(pid, list);
      } else own.chunks.push(piece);
      kept.set(pid, own);
    },
    scrambled: () => undefined,
  });
  for (const pid of wanted.keys()) demux.want(pid);
  demux.feed(whole, 0, whole.byteLength);
  const video = new Map<number, SeenPicture>();
  const audio = new Map<number, SeenAudio>();
  for (const [pid, { attributes }] of wanted) {
    if (attributes.kind === 'video') {
      const seen = seePicture(attributes.coding, concatBytes(kept.get(pid)?.chunks ?? []));
      if (seen) video.set(pid, seen);
    } else {
      const seen = seeAudio(attributes.coding, starts.get(pid) ?? []);
      if (seen) audio.set(pid, seen);
    }
  }
  return { video, audio, protectedPackets: look.protectedPackets, packets: look.packets };
}
