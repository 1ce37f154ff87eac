import { createHash } from 'node:crypto';
import {
  SOUND_RATE_HZ,
  SoundComparer,
  compareSubtitles,
  type SoundComparison,
  type SubtitleComparison,
  type SubtitleEvent,
  type TrackComparison,
} from '@/core/findings';
import type { Reading, Title } from '@/core/reading';
import { reelMs, takeAudio, takeSubtitle, wholeTitleReel, type Reel } from '@/core/reels';
import { PGS, PGS_HEAD_BYTES, TICKS_PER_MS, pgsSegmentBytes, readPgsComposition } from '@/core/streams';
import { WorkError } from '@/contract';
import { runProgram } from './program';
import type { OpenedSource } from './open-source';
import { writeReel, type WriteReelOptions } from './write-reel';

/**
 * Compares two audio or two subtitle tracks of a title, from one end to the other.
 * @throws WorkError `bad-request` where the title has no such two tracks; DiscError of the source.
 */
export async function compareTracks(
  opened: OpenedSource,
  reading: Reading,
  title: Title,
  streams: { readonly left: number; readonly right: number },
  options: WriteReelOptions,
): Promise<TrackComparison> {
  const whole = wholeTitleReel(title, '');
  const wanted = [streams.left, streams.right];
  const audio = wanted.flatMap((stream) => title.audio.filter((t) => t.stream === stream && t.codec !== 'unknown'));
  const subtitles = wanted.flatMap((stream) => title.subtitles.filter((t) => t.stream === stream));
  if (streams.left !== streams.right && audio.length === 2)
    return compareSound(opened, reading, { ...whole, audio: audio.map((t) => takeAudio(t, false)), subtitles: [] }, options);
  if (streams.left !== streams.right && subtitles.length === 2)
    return compareText(opened, reading, { ...whole, audio: [], subtitles: subtitles.map(takeSubtitle) }, options);
  throw new WorkError('bad-request', 'Two different audio tracks, or two subtitle tracks, of the title are wanted');
}

async function compareSound(opened: OpenedSource, reading: Reading, reel: Reel, options: WriteReelOptions): Promise<SoundComparison> {
  const seconds = (reelMs(reading.titles, reel.pieces) / 1000).toFixed(3);
  // Gaps are filled and both padded to the end, so that a moment of one stands beside the same moment of the other.
  const even = `aformat=channel_layouts=mono,aresample=${SOUND_RATE_HZ}:async=1:first_pts=0,apad=whole_dur=${seconds}`;
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-f', 'matroska', '-i', 'pipe:0'],
    ...['-filter_complex', `[0:a:0]${even}[l];[0:a:1]${even}[r];[l][r]join=inputs=2:channel_layout=stereo[both]`, '-map', '[both]'],
    ...['-c:a', 'pcm_s16le', '-f', 's16le', 'pipe:1'],
  ];
  const comparer = new SoundComparer();
  const { fed } = await runProgram('ffmpeg', args, {
    signal: options.signal,
    feed: (input) => writeReel(opened, reading, reel, input, options),
    read: async (stdout) => {
      let rest: Buffer = Buffer.alloc(0);
      for await (const chunk of stdout) {
        const bytes = rest.byteLength > 0 ? Buffer.concat([rest, chunk as Buffer]) : (chunk as Buffer);
        const usable = bytes.byteLength - (bytes.byteLength % 4);
        comparer.push(new Int16Array(Uint8Array.from(bytes.subarray(0, usable)).buffer));
        rest = bytes.subarray(usable);
      }
    },
  });
  const { tracks } = fed.promise;
  return comparer.finish(tracks[1]?.hash === tracks[2]?.hash);
}

/** Identifier and version of a graphics object: counted through each stream, so that the same picture has others in another. */
const OBJECT_COUNTS_BYTES = 3;

/** The pictures of a display set of presentation graphics as a hash; null where it shows nothing and only clears the screen. */
function graphicsShown(data: Uint8Array): string | null {
  const hash = createHash('sha256');
  let shows = false;
  for (let at = 0, bytes; (bytes = pgsSegmentBytes(data, at, data.byteLength)) !== null; at += bytes) {
    if (data[at] === PGS.composition) shows = (readPgsComposition(data, at, data.byteLength)?.objects ?? 0) > 0;
    if (data[at] === PGS.object) hash.update(data.subarray(at + PGS_HEAD_BYTES + OBJECT_COUNTS_BYTES, at + bytes));
  }
  return shows ? hash.digest('hex') : null;
}
const contentOf = (codec: string, data: Uint8Array): string | null =>
  codec === 'PGS' ? graphicsShown(data) : createHash('sha256').update(data).digest('hex');

const TEXTS = new Set<string>(['SubRip', 'WebVTT', 'ASS']);
const MOST_EVENTS = 50_000;
const MOST_TEXT = 400;

async function compareText(
  opened: OpenedSource,
  reading: Reading,
  reel: Reel,
  { signal, onProgress }: WriteReelOptions,
): Promise<SubtitleComparison> {
  const stream = await opened.assemble(reading, reel, { signal });
  const events: SubtitleEvent[][] = [[], []];
  const codecs = stream.tracks.slice(1).map((t) => (t.kind === 'subtitle' ? t.source.codec : ''));
  try {
    while (await stream.fill()) {
      for (let packet = stream.take(); packet; packet = stream.take()) {
        const list = events[packet.track - 1];
        const codec = codecs[packet.track - 1];
        if (!list || codec === undefined || list.length >= MOST_EVENTS) continue;
        const content = contentOf(codec, packet.data);
        if (content === null) continue;
        list.push({
          startMs: packet.ticks / TICKS_PER_MS,
          content,
          text: TEXTS.has(codec) ? Buffer.from(packet.data).toString('utf8').slice(0, MOST_TEXT) : null,
        });
      }
      onProgress(stream.readBytes, stream.totalBytes);
    }
  } finally {
    await stream.close();
  }
  const inOrder = (list: readonly SubtitleEvent[] | undefined) => [...(list ?? [])].sort((a, b) => a.startMs - b.startMs);
  return compareSubtitles(inOrder(events[0]), inOrder(events[1]));
}
