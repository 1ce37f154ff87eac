import type { DescribedTrack } from '../matroska';
import { TICKS_PER_SECOND } from '../streams';
import type { AssembledTrack } from './lanes';
import { TrackAccount, type Packet } from './packet';
import type { PacketStream } from './packet-stream';
import type { PictureDescription } from './picture';
import type { VideoCounts } from './video-framer';

/** Makes the stream that begins with the picture nearest before a moment. Only its first picture is read. */
export type OpenMoment = (index: number) => Promise<PacketStream>;

/** Streams without a picture for so many packets have none. */
const MOST_PACKETS = 4000;

/**
 * The first picture of many short streams as one stream, a second apart: all that is needed for a contact sheet.
 * Moments at which no picture can be read are left out: their second stays empty.
 */
export class KeyPictures implements PacketStream {
  readonly tracks: readonly AssembledTrack[];
  readonly readBytes = 0;
  private next = 0;
  private current: PacketStream | null = null;
  private held: Packet | null = null;
  private readonly accounts = new TrackAccount();

  /** @param first any of the streams: it tells what the track is. */
  constructor(
    first: PacketStream,
    private readonly count: number,
    private readonly open: OpenMoment,
    private readonly onMissing: (index: number, error: unknown) => void = () => undefined,
  ) {
    this.tracks = first.tracks.slice(0, 1);
  }

  get totalBytes(): number {
    return this.count;
  }
  get endTicks(): number {
    return this.count * TICKS_PER_SECOND;
  }
  get videoCounts(): VideoCounts {
    return this.current?.videoCounts ?? { frames: 0, progressive: 0, topFieldFirst: 0, repeated: 0, totalTicks: 0 };
  }
  get picture(): PictureDescription | null {
    return this.current?.picture ?? null;
  }
  outputChapters(): [] {
    return [];
  }
  account(): TrackAccount {
    return this.accounts;
  }
  audioHeader(): null {
    return null;
  }
  forcedTicks(): [] {
    return [];
  }
  subtitleHeader(): null {
    return null;
  }
  described(track: number): DescribedTrack | null {
    return this.current?.described(track) ?? null;
  }

  async fill(): Promise<boolean> {
    while (!this.held && this.next < this.count) {
      const index = this.next++;
      try {
        const stream = await this.open(index);
        const packet = await firstPicture(stream);
        const data = packet?.data.slice();
        await stream.close();
        if (!packet || !data) continue;
        this.current = stream;
        this.held = { ...packet, data, ticks: index * TICKS_PER_SECOND, durationTicks: null, key: true, discardable: false };
      } catch (error) {
        this.onMissing(index, error);
      }
    }
    return this.held !== null;
  }

  close(): Promise<void> {
    this.next = this.count;
    return Promise.resolve();
  }

  take(): Packet | null {
    const packet = this.held;
    this.held = null;
    return packet;
  }
}

async function firstPicture(stream: PacketStream): Promise<Packet | null> {
  for (let seen = 0; seen < MOST_PACKETS && (await stream.fill());) {
    for (let packet = stream.take(); packet; packet = stream.take(), seen++) if (packet.track === 0 && packet.key) return packet;
  }
  return null;
}
