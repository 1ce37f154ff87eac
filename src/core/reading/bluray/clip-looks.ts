import { isDamage, unlessDamaged, type ByteSource } from '../../bytes';
import type { ClipInfo } from '../../bluray';
import { SOURCE_PACKET, lookAtTransport } from '../../streams';
import { reachOf } from '../dvd/reach';
import { probeClip, type ClipProbe } from './probe-transport';

/** First look at a clip's headers, and how far one goes where a stream has not shown itself yet. */
const FIRST_BYTES = 512 * 1024;
const MORE_BYTES = 3 * 1024 * 1024;
/** Looks of the long kind and of any kind on one disc: a reading stays quick however many clips there are. */
const MOST_LONG_LOOKS = 4;
const MOST_LOOKS = 24;
/** An enciphered unit is 6,144 bytes. */
const SAMPLE_BYTES = 32 * SOURCE_PACKET;
const SAMPLE_PLACES = [0, 0.3, 0.7] as const;
const MOST_SAMPLED = 200;

/** Remembers what was looked at, so that titles that share clips, and clips coded alike, are looked at once. */
export class ClipLooks {
  private readonly files = new Map<string, ByteSource>();
  private readonly probes = new Map<string, ClipProbe | null>();
  private readonly alike = new Map<string, ClipProbe | null>();
  private readonly samples = new Map<string, boolean>();
  private readonly ends = new Map<string, number>();
  private longLooks = 0;

  add(clip: string, file: ByteSource): void {
    this.files.set(clip, file);
  }

  file(clip: string): ByteSource | null {
    return this.files.get(clip) ?? null;
  }

  /** What the clip's streams say of themselves; after many looks, what a clip with the same table of streams said. */
  async headers(clip: string, info: ClipInfo | null): Promise<ClipProbe | null> {
    const known = this.probes.get(clip);
    if (known !== undefined) return known;
    const key = JSON.stringify(info?.streams ?? []);
    const likely = this.alike.get(key);
    const probe = this.probes.size >= MOST_LOOKS && likely !== undefined ? likely : await this.look(clip, info);
    this.probes.set(clip, probe);
    if (!likely) this.alike.set(key, probe);
    return probe;
  }

  private async look(clip: string, info: ClipInfo | null): Promise<ClipProbe | null> {
    const file = this.files.get(clip);
    if (!file || !info) return null;
    const wanted = info.streams.filter((s) => s.attributes.kind === 'video' || s.attributes.kind === 'audio').length;
    try {
      const first = await probeClip(file, info.streams, FIRST_BYTES);
      const complete = first.video.size + first.audio.size >= wanted;
      if (complete || first.protectedPackets > 0 || file.sizeBytes <= FIRST_BYTES || this.longLooks++ >= MOST_LONG_LOOKS) return first;
      return await probeClip(file, info.streams, MORE_BYTES);
    } catch (error) {
      if (!isDamage(error)) throw error;
      return null; // a scratch here is met again, and said, when the title is taken
    }
  }

  /** Looks at a few places for the flags of protection. */
  async protectedContent(clip: string): Promise<boolean> {
    const known = this.samples.get(clip);
    if (known !== undefined) return known;
    const file = this.files.get(clip);
    let found = false;
    if (file && this.samples.size < MOST_SAMPLED) {
      for (const place of SAMPLE_PLACES) {
        const data = new Uint8Array(SAMPLE_BYTES);
        const units = Math.floor((file.sizeBytes * place) / SAMPLE_BYTES);
        const got = await unlessDamaged(file.read(units * SAMPLE_BYTES, data), 0);
        const look = lookAtTransport(data.subarray(0, got));
        if (look.protectedPackets > 0) found = true;
      }
    }
    this.samples.set(clip, found);
    return found;
  }

  /** Bytes of a clip that can be had: fewer than its size where the image was cut short. */
  async reachableBytes(clip: string): Promise<number> {
    const known = this.ends.get(clip);
    if (known !== undefined) return known;
    const file = this.files.get(clip);
    const reach = file ? await reachOf(file) : 0;
    this.ends.set(clip, reach);
    return reach;
  }
}
