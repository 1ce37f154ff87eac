import {
  STREAM,
  VIDEO_STREAM,
  findStartCode,
  privateStream,
  readAc3Header,
  readDtsHeader,
  readLpcmLayout,
  readMpegAudioHeader,
  readPack,
  readSequenceHeader,
  CODE,
  type AudioFrameHeader,
  type LpcmLayout,
  type PesReceiver,
  type SequenceHeader,
  type StreamKey,
} from '../../streams';
import { concatBytes, type ByteSource } from '../../bytes';
import { SECTOR_BYTES } from '../../volume';

/** What the first sectors of a segment say of its streams. */
export interface StreamProbe {
  readonly video: SequenceHeader | null;
  readonly audio: ReadonlyMap<StreamKey, AudioFrameHeader>;
  readonly lpcm: ReadonlyMap<StreamKey, LpcmLayout>;
  readonly packets: number;
  readonly scrambledPackets: number;
}

const KEPT_BYTES = 8192;

class Collector implements PesReceiver {
  readonly kept = new Map<StreamKey, Uint8Array[]>();
  readonly lpcm = new Map<StreamKey, LpcmLayout>();
  packets = 0;
  scrambledPackets = 0;
  private readonly sizes = new Map<StreamKey, number>();

  payload(stream: StreamKey, data: Uint8Array, from: number, to: number): void {
    if (stream >= 0xbf00) return;
    this.packets++;
    if (stream >= privateStream(0xa0) && stream <= privateStream(0xa7) && !this.lpcm.has(stream)) {
      const layout = readLpcmLayout(data[from - 2] ?? 0);
      if (layout) this.lpcm.set(stream, layout);
    }
    const size = this.sizes.get(stream) ?? 0;
    if (size > KEPT_BYTES) return;
    this.sizes.set(stream, size + to - from);
    const chunks = this.kept.get(stream) ?? [];
    chunks.push(data.slice(from, to));
    this.kept.set(stream, chunks);
  }

  scrambled(): void {
    this.packets++;
    this.scrambledPackets++;
  }
}

function findSequence(data: Uint8Array): SequenceHeader | null {
  for (let at = findStartCode(data, 0, data.byteLength); at >= 0; at = findStartCode(data, at + 3, data.byteLength)) {
    if (data[at + 3] === CODE.sequence) return readSequenceHeader(data, at, data.byteLength);
  }
  return null;
}

const readerOf = (stream: StreamKey) => {
  if (stream >= STREAM.audio && stream < STREAM.video) return readMpegAudioHeader;
  return stream >= privateStream(0x88) ? readDtsHeader : readAc3Header;
};

/** First frame header in the data that is followed by another where the data reach so far. */
function findAudio(stream: StreamKey, data: Uint8Array): AudioFrameHeader | null {
  const read = readerOf(stream);
  for (let at = 0; at < data.byteLength; at++) {
    const header = read(data, at, data.byteLength);
    if (!header) continue;
    const next = at + header.frameBytes;
    if (next + 16 > data.byteLength || read(data, next, data.byteLength)) return header;
  }
  return null;
}

/**
 * Looks at `sectors` sectors from `firstSector` on.
 * @throws DiscError `read-failed` from the source.
 */
export async function probeStreams(source: ByteSource, firstSector: number, sectors: number): Promise<StreamProbe> {
  const data = new Uint8Array(sectors * SECTOR_BYTES);
  const got = await source.read(firstSector * SECTOR_BYTES, data);
  const collector = new Collector();
  for (let at = 0; at + SECTOR_BYTES <= got; at += SECTOR_BYTES) readPack(data, at, at + SECTOR_BYTES, collector);
  const audio = new Map<StreamKey, AudioFrameHeader>();
  let video: SequenceHeader | null = null;
  for (const [stream, chunks] of collector.kept) {
    if (stream === VIDEO_STREAM) video = findSequence(concatBytes(chunks));
    else if ((stream >= STREAM.audio && stream < STREAM.video) || (stream >= privateStream(0x80) && stream <= privateStream(0x8f))) {
      const header = findAudio(stream, concatBytes(chunks));
      if (header) audio.set(stream, header);
    }
  }
  return { video, audio, lpcm: collector.lpcm, packets: collector.packets, scrambledPackets: collector.scrambledPackets };
}
