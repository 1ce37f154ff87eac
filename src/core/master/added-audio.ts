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
import type { AddedAudio } from '../reels/model';
import { TICKS_PER_MS } from '../streams';
import { ADDED_STREAM } from './added-subtitles';
import type { TrackPromise } from '../proof/promise';

/** Stream numbers of added sound, behind those of added subtitles. */
const ADDED_AUDIO_STREAM = ADDED_STREAM + 0x1000;

/** Sound from a file beside the disc, on its way into the container: its frames as they stand, at their own times plus an offset. */
export class AddedAudioTrack {
  private readonly parts: AsyncGenerator<StreamPart, void>;
  private described: DescribedTrack | null = null;
  private blocks: readonly StreamBlock[] = [];
  private next = 0;
  private packets = 0;
  private bytes = 0;
  private seenBytes = 0;
  private readonly left = new Map<string, { bytes: number; frames: number }>();

  /** @param chunks the file as a Matroska stream with this one track. */
  constructor(
    /** Index of the track in the result. */
    private readonly track: number,
    private readonly added: AddedAudio,
    private readonly hash: PayloadHash,
    private readonly place: number,
    chunks: AsyncIterable<Uint8Array>,
    private readonly signal?: AbortSignal,
  ) {
    this.parts = readMatroskaStream(chunks, added.source.path);
  }

  /** Reads as far as the description of the track. @throws DiscError of the stream, `unsupported` where it has not one track. */
  async open(): Promise<void> {
    const where = { source: this.added.source.path, byteOffset: 0 };
    for (let step = await this.parts.next(); !step.done; step = await this.parts.next()) {
      if (step.value.kind !== 'tracks') continue;
      const [only] = step.value.tracks;
      if (!only || step.value.tracks.length > 1) throw new DiscError('unsupported', where, 'The added sound can not be taken over');
      this.described = { ...only, elements: only.elements.slice() };
      return;
    }
    throw new DiscError('ended-early', where, 'The added sound says nothing of its track');
  }

  private async following(): Promise<StreamBlock | null> {
    for (; this.next >= this.blocks.length; this.next = 0) {
      throwIfCancelled(this.signal, this.added.source.path);
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
      const at = Math.round((block.timestampMs + this.added.offsetMs) * TICKS_PER_MS);
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
      yield { track: this.track, ticks: at, durationTicks: null, key: true, discardable: block.discardable, data: block.data };
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

  describe(uid: bigint): MatroskaTrack {
    const { added, described } = this;
    return {
      kind: 'kept',
      type: 'audio',
      uid,
      codecId: described?.codecId ?? '',
      codecPrivate: null, // among the elements
      elements: described?.elements ?? new Uint8Array(0),
      name: added.name,
      language: added.language,
      isDefault: added.isDefault,
      isForced: false,
      isCommentary: added.isCommentary,
      isHearingImpaired: false,
      isVisuallyImpaired: added.isVisuallyImpaired,
      isOriginal: false,
      defaultDurationNs: null,
    };
  }

  promise(): TrackPromise {
    return {
      kind: 'audio',
      stream: ADDED_AUDIO_STREAM + this.place,
      codecId: this.described?.codecId ?? '',
      language: this.added.language,
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
