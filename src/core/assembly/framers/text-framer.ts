import { concatBytes, throwIfCancelled, type ByteSource } from '../../bytes';
import type { SubtitleTrack } from '../../reading';
import { SOURCE_PACKET, TICKS_PER_PTS, TransportDemux, readTextSubtitles, type TextSubtitles } from '../../streams';
import { EsBuffer } from './es-buffer';
import { Framer, type StretchBegin } from './framer';
import type { Timeline } from '../timeline';

/** A player holds all text of a title in 2 MiB; what is larger is not believed. */
const MOST_TEXT_BYTES = 16 * 1024 * 1024;
const CHUNK_BYTES = 4096 * SOURCE_PACKET;

/** Reads the text subtitles that a clip of their own carries. @throws DiscError `read-failed`, `cancelled`. */
export async function loadTextSubtitles(clip: ByteSource, pid: number, signal: AbortSignal | undefined): Promise<TextSubtitles> {
  const pieces: Uint8Array[] = [];
  let bytes = 0;
  const demux = new TransportDemux({
    transport: (_pid, data, from, to) => {
      if (bytes > MOST_TEXT_BYTES) return;
      bytes += to - from;
      pieces.push(data.slice(from, to));
    },
    scrambled: () => undefined,
  });
  demux.want(pid);
  const chunk = new Uint8Array(CHUNK_BYTES);
  for (let at = 0; at + SOURCE_PACKET <= clip.sizeBytes && bytes <= MOST_TEXT_BYTES; at += CHUNK_BYTES) {
    throwIfCancelled(signal, clip.name);
    const got = await clip.read(at, chunk);
    demux.feed(chunk, 0, got - (got % SOURCE_PACKET));
    if (got < CHUNK_BYTES) break;
  }
  return readTextSubtitles(concatBytes(pieces));
}

/**
 * Puts text subtitles, which stand in a clip of their own, at the times of the pictures they belong to: a dialogue's
 * stamps count from where the playlist lays its clip beside the title.
 */
export class TextFramer extends Framer {
  readonly es = new EsBuffer(64 * 1024);
  private text: TextSubtitles | null = null;
  private readonly waiting: { position: number; length: number; epoch: number; pts90k: number; durationTicks: number; isCut: boolean }[] =
    [];
  private notFrom = Number.POSITIVE_INFINITY;

  constructor(
    private readonly timeline: Timeline,
    private readonly apart: NonNullable<SubtitleTrack['apart']>,
  ) {
    super();
  }

  /** All of it was loaded before: nothing of it stands among the title's own streams. */
  override receive(): void {
    throw new Error('text subtitles are not walked by');
  }

  /** What a player must have before the first dialogue; null before it was read. */
  override get style(): Uint8Array | null {
    return this.text?.style ?? null;
  }

  override async load(openContent: (content: string) => Promise<ByteSource>, signal: AbortSignal | undefined): Promise<void> {
    if (this.text) return;
    this.text = await loadTextSubtitles(await openContent(this.apart.clip), this.apart.pid, signal);
  }

  /** The dialogues of a stretch are put in. Where the piece begins inside its title, what is on the screen is shown from there on. */
  override beginStretch({ epoch, titleMs, in90k, out90k, isCut, endsCut }: StretchBegin): void {
    const durationMs = (out90k - in90k) / 90;
    this.notFrom = Number.POSITIVE_INFINITY;
    const { in90k: zero, atMs } = this.apart;
    for (const dialog of this.text?.dialogs ?? []) {
      const starts = atMs + (dialog.start90k - zero) / 90;
      const ends = starts + (dialog.end90k - dialog.start90k) / 90;
      const from = isCut ? Math.max(starts, titleMs) : starts;
      const to = endsCut ? Math.min(ends, titleMs + durationMs) : ends;
      if (from < titleMs || from >= titleMs + durationMs || to <= from) continue;
      const position = this.es.end;
      this.es.append(dialog.data, 0, dialog.data.byteLength);
      this.account.seenBytes += dialog.data.byteLength;
      this.waiting.push({
        position,
        length: dialog.data.byteLength,
        epoch,
        pts90k: Math.round(in90k + (from - titleMs) * 90),
        durationTicks: (to - from) * 90 * TICKS_PER_PTS,
        isCut: from > starts || to < ends,
      });
    }
  }

  override endPieceAt(ticks: number): void {
    this.notFrom = ticks;
    for (const packet of this.queue.popWhile((p) => p.ticks >= ticks)) this.account.leave('outside the cut', packet.length);
  }

  override process(): void {
    for (let first = this.waiting[0]; first && this.timeline.isPlaced(first.epoch); first = this.waiting[0]) {
      this.waiting.shift();
      const { position, length, durationTicks, isCut } = first;
      const ticks = this.timeline.map(first.epoch, first.pts90k);
      if (ticks >= this.notFrom) this.account.leave('outside the cut', length);
      else {
        if (isCut) this.account.fault('over the cut', ticks);
        this.queue.push({ position, length, ticks, durationTicks, orderTicks: ticks, key: true, discardable: false });
      }
    }
  }
}
