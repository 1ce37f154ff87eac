import { Readable } from 'node:stream';
import { readMatroskaStream, type MatroskaSink } from '@/core/matroska';
import { TrackHashes, writeKeyPictures, writeMaster } from '@/core/master';
import { isPictures, type Reading, type Title } from '@/core/reading';
import { wholeTitleReel, type Reel, type TakenTrack } from '@/core/reels';
import { writeBothViews } from '@/core/stereo';
import type { Eyes } from '@/contract';
import { eyesFilter } from './play-both';
import { runProgram, startProgram, type RunningProgram } from './program';
import { createPayloadHash, fastCrc32 } from './payload-hash';
import { written } from './other-eye';
import type { OpenedSource } from './open-source';
import { APPLICATION } from './version';

/** Pictures and playable previews out of a title, by the same assembly that masters come from; FFmpeg only decodes. */

const OPTIONS = { application: APPLICATION, seed: 'preview', createHash: createPayloadHash, crc32: fastCrc32 };

/** A reel of one title between two moments. */
export function momentReel(
  title: Title,
  angle: number,
  fromMs: number,
  toMs: number,
  tracks: { audio?: readonly TakenTrack[]; subtitles?: readonly TakenTrack[] } = {},
): Reel {
  const whole = wholeTitleReel(title, '');
  const range = { fromMs: Math.max(0, fromMs), toMs: Math.min(title.durationMs, Math.max(toMs, fromMs + 1)) };
  return {
    ...whole,
    pieces: [{ title: title.number, angle: Math.min(angle, title.angles), fromChapter: 1, toChapter: title.chapters.length, range }],
    audio: tracks.audio ?? [],
    subtitles: tracks.subtitles ?? [],
  };
}

/** A stretch that a picture begins in, whatever the rate: between two of them there would be none. Only its first is read. */
const PICTURE_MS = 100;

/** Decoders that must show a picture that stands alone, and at once, whatever surrounded it. */
const SINGLE_PICTURES = ['-flags', 'low_delay', '-flags2', 'showall', '-flags', '+output_corrupt'];

/** What is shown of a title, and how wide. */
export interface Shown {
  readonly width: number;
  readonly eyes: Eyes;
  readonly firstEye: 'left' | 'right';
}

/** Filters that show what is wished of a title's two views that come in turn; empty where the first one is shown, or there is no other. */
const eyesOf = ({ video }: Title, shown: Shown): string => (video.secondView ? eyesFilter(video.frameTicks / 27_000, shown) : '');

const optionsOf = (title: Title, signal?: AbortSignal) => ({
  ...{ name: 'the title', application: APPLICATION, frameMs: title.video.frameTicks / 27_000 },
  ...{ everything: true, signal },
});

/** Pictures in memory with both views in turn. */
async function inTurn(chunks: readonly Uint8Array[], title: Title, signal?: AbortSignal): Promise<Uint8Array[]> {
  const made: Uint8Array[] = [];
  const sink: MatroskaSink = {
    write: (data) => {
      made.push(data.slice());
      return Promise.resolve();
    },
    writeAt: null,
  };
  await writeBothViews(readMatroskaStream(Readable.from(chunks), 'pictures'), sink, optionsOf(title, signal));
  return made;
}

/** What is written goes on with both views in turn, as it comes. */
async function writtenInTurn(
  write: (sink: MatroskaSink) => Promise<unknown>,
  to: MatroskaSink,
  title: Title,
  signal: AbortSignal,
): Promise<void> {
  const between = written(write, signal);
  try {
    await writeBothViews(readMatroskaStream(between, 'preview'), to, optionsOf(title, signal));
  } finally {
    between.destroy();
  }
}

/** Filters that give square pixels at a width, without combs. */
const scaled = (width: number, interlaced: boolean) =>
  `${interlaced ? 'yadif=deint=interlaced,' : ''}scale=${width}:'2*round(${width}/dar/2)':flags=bilinear,setsar=1`;

/**
 * Pictures of a title at given moments, each from the nearest place before it where decoding can begin.
 * @param momentsMs at the most 64: each has a decoder of its own. @param shown which of two views, and how large.
 * @returns JPEG by index; absent where none could be had.
 */
export async function picturesAt(
  opened: OpenedSource,
  reading: Reading,
  title: Title,
  { angle, ...shown }: { readonly angle: number } & Shown,
  momentsMs: readonly number[],
  signal?: AbortSignal,
): Promise<Map<number, Uint8Array>> {
  const found = new Map<number, Uint8Array>();
  const open = (index: number) => {
    const at = Math.min(momentsMs[index] ?? 0, Math.max(0, title.durationMs - 40));
    return opened.assemble(reading, momentReel(title, angle, at, at + PICTURE_MS), signal ? { signal } : {});
  };
  const chunks: Uint8Array[] = [];
  const memory: MatroskaSink = {
    write: (data) => {
      chunks.push(data.slice());
      return Promise.resolve();
    },
    writeAt: null,
  };
  const indices = await writeKeyPictures(momentsMs.length, open, momentReel(title, angle, 0, 1), reading, memory, OPTIONS);
  if (indices.length === 0) return found;
  const both = eyesOf(title, shown);
  const filter = `${both}${scaled(shown.width, title.video.interlaced !== false)}`;
  const fed = both === '' ? chunks : await inTurn(chunks, title, signal);
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-probesize', '32', '-analyzeduration', '0', '-threads', '1'],
    ...SINGLE_PICTURES,
    ...['-f', 'matroska', '-i', 'pipe:0', ...indices.flatMap((_, i) => ['-map', `0:v:${i}`]), '-vf', filter],
    ...['-fps_mode', 'passthrough', '-c:v', 'mjpeg', '-q:v', '4', '-pix_fmt', 'yuvj420p', '-f', 'matroska', 'pipe:1'],
  ];
  // A picture that can not be decoded must not hide the others: what has come counts.
  await runProgram('ffmpeg', args, {
    signal,
    feed: async (input) => {
      for (const chunk of fed) await input.write(chunk).catch(() => undefined);
    },
    read: async (stdout) => {
      for await (const part of readMatroskaStream(stdout as AsyncIterable<Uint8Array>, 'pictures')) {
        if (part.kind !== 'cluster') continue;
        for (const block of part.blocks) {
          const index = indices[block.track - 1];
          if (index !== undefined && !found.has(index)) found.set(index, block.data.slice());
        }
      }
    },
  }).catch(() => undefined);
  return found;
}

export interface PreviewWish extends Shown {
  readonly angle: number;
  readonly startMs: number;
  readonly audio: TakenTrack | null;
  readonly subtitle: TakenTrack | null;
}

/** Subtitles that are pictures can be laid over the film; text can not be drawn from a pipe. */
export const canBeDrawn = (title: Title, stream: number): boolean =>
  title.subtitles.some((t) => t.stream === stream && isPictures(t.codec));

/**
 * A preview that a browser plays, from a moment on: H.264 and AAC in fragments. Made only as fast as it is watched.
 * @returns the encoder; end it when the viewer goes. `fed` settles when the title is at its end or the encoder is gone.
 */
export function startPreview(
  opened: OpenedSource,
  reading: Reading,
  title: Title,
  wish: PreviewWish,
  signal: AbortSignal,
): { program: RunningProgram; fed: Promise<void> } {
  const drawn = wish.subtitle && canBeDrawn(title, wish.subtitle.stream) ? wish.subtitle : null;
  const reel = momentReel(title, wish.angle, wish.startMs, title.durationMs, {
    audio: wish.audio ? [wish.audio] : [],
    subtitles: drawn ? [drawn] : [],
  });
  const both = eyesOf(title, wish);
  const picture = `${both}${scaled(wish.width, title.video.interlaced !== false)}`;
  const video = drawn
    ? ['-filter_complex', `[0:v:0][0:s:0]overlay=eof_action=pass,${picture}[v]`, '-map', '[v]']
    : ['-map', '0:v:0', '-vf', picture];
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-probesize', '1M', '-analyzeduration', '500000', '-fix_sub_duration'],
    ...['-f', 'matroska', '-i', 'pipe:0', ...video, ...(wish.audio ? ['-map', '0:a:0'] : [])],
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-tune', 'zerolatency', '-crf', '24', '-pix_fmt', 'yuv420p', '-g', '25'],
    ...['-map_chapters', '-1', '-map_metadata', '-1', '-c:a', 'aac', '-ac', '2', '-b:a', '128k', '-max_muxing_queue_size', '4096'],
    ...['-movflags', 'frag_keyframe+empty_moov+default_base_moof', '-frag_duration', '500000', '-f', 'mp4', 'pipe:1'],
  ];
  const program = startProgram('ffmpeg', args, { signal });
  const feed = async () => {
    const stream = await opened.assemble(reading, reel, { signal });
    try {
      const write = (sink: MatroskaSink) => writeMaster(stream, new TrackHashes(createPayloadHash), reading, reel, sink, OPTIONS);
      if (both === '') await write(program.input);
      else await writtenInTurn(write, program.input, title, signal);
    } finally {
      await stream.close();
    }
    program.closeInput();
  };
  return { program, fed: feed() };
}
