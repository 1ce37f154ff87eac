import { DiscError, throwIfCancelled } from '../bytes';
import {
  readMatroskaStream,
  type DescribedTrack,
  type MatroskaFrame,
  type MatroskaTrack,
  type StreamBlock,
  type StreamPart,
} from '../matroska';
import type { PayloadHash } from '../proof/hash';
import type { TrackPromise } from '../proof/promise';
import { TICKS_PER_MS } from '../streams';

/** A track that comes as a Matroska stream of its own, on its way into the container: its frames as they stand, at their own times plus an offset. */
export abstract class AddedStreamTrack {
  private readonly parts: AsyncGenerator<StreamPart, void>;
  protected described: DescribedTrack | null = null;
  private blocks: readonly StreamBlock[] = [];
  private next = 0;
  private packets = 0;
  private bytes = 0;
  private seenBytes = 0;
  private readonly left = new Map<string, { bytes: number; frames: number }>();

  protected constructor(
    /** Index of the track in the result. */
    private readonly track: number,
    private readonly name: string,
    private offsetMs: number,
    private readonly hash: PayloadHash,
    /** The stream, with this one track. */
    chunks: AsyncIterable<Uint8Array>,
    private readonly signal?: AbortSignal,
  ) {
    this.parts = readMatroskaStream(chunks, name);
  }

  /** Its first frame is to stand at this time of the result. */
  async beginAt(ticks: number): Promise<void> {
    const first = await this.following();
    if (first) this.offsetMs = ticks / TICKS_PER_MS - first.timestampMs;
  }

  abstract describe(uid: bigint): MatroskaTrack;
  abstract promise(): TrackPromise;

  /** Reads as far as the description of the track. @throws DiscError of the stream, `unsupported` where it has not one track. */
  async open(): Promise<void> {
    const where = { source: this.name, byteOffset: 0 };
    for (let step = await this.parts.next(); !step.done; step = await this.parts.next()) {
      if (step.value.kind !== 'tracks') continue;
      const [only] = step.value.tracks;
      if (!only || step.value.tracks.length > 1) throw new DiscError('unsupported', where, 'What is added can not be taken over');
      this.described = { ...only, elements: only.elements.slice() };
      return;
    }
    throw new DiscError('ended-early', where, 'What is added says nothing of its track');
  }

  private async following(): Promise<StreamBlock | null> {
    for (; this.next >= this.blocks.length; this.next = 0) {
      throwIfCancelled(this.signal, this.name);
      const step = await this.parts.next();
      if (step.done) return null;
      this.blocks = step.value.kind === 'cluster' ? step.value.blocks : [];
    }
    return this.blocks[this.next] ?? null;
  }

  private leave(reason: string, bytes: number): void {
    const sum = this.left.get(reason) ?? { bytes: 0, frames: 0 };
    this.left.set(reason, { bytes: sum.bytes + bytes, frames: sum.frames + 1 });
  }

  /** Frames that begin up to a moment of the output and were not yet given; none at or after its end. Each is valid until the next. */
  async *until(ticks: number, endTicks = Number.POSITIVE_INFINITY): AsyncGenerator<MatroskaFrame, void> {
    for (let block = await this.following(); block; block = await this.following()) {
      const at = Math.round((block.timestampMs + this.offsetMs) * TICKS_PER_MS);
      if (at > ticks || at >= endTicks) return;
      this.next++;
      this.seenBytes += block.data.byteLength;
      if (at < 0) {
        this.leave('before the beginning', block.data.byteLength);
        continue;
      }
      this.packets++;
      this.bytes += block.data.byteLength;
      this.hash.update(block.data);
      const key = this.described?.kind !== 'video' || block.key;
      yield { track: this.track, ticks: at, durationTicks: null, key, discardable: block.discardable, data: block.data };
    }
  }

  /** Reads the rest, so that what is left out is counted. */
  async drain(): Promise<void> {
    for (let block = await this.following(); block; block = await this.following()) {
      this.next++;
      this.seenBytes += block.data.byteLength;
      this.leave('after the end', block.data.byteLength);
    }
  }

  async close(): Promise<void> {
    await this.parts.return();
  }

  /** What was added, for the proof. */
  protected taken(of: Pick<TrackPromise, 'kind' | 'stream' | 'language'>): TrackPromise {
    return {
      ...of,
      codecId: this.described?.codecId ?? '',
      packets: this.packets,
      bytes: this.bytes,
      hash: this.hash.digest(),
      lpcm: null,
      left: [...this.left].map(([reason, sum]) => ({ reason, ...sum, ms: 0 })),
      seenBytes: this.seenBytes,
      irregularities: 0,
      forcedAtMs: [],
      fromMs: null,
      toMs: null,
    };
  }
}
