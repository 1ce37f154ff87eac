import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, type FileHandle } from 'node:fs/promises';
import { z } from 'zod';
import { DiscError, throwIfCancelled } from '@/core/bytes';
import type { OpenStretch } from '@/core/assembly';
import { readMatroskaStream, type DescribedTrack } from '@/core/matroska';
import { languageTag, readingOfFile, type AudioCodec, type ProbedFile, type ProbedStream, type Reading } from '@/core/reading';
import { WorkError } from '@/contract';
import { fileInput } from './ffmpeg';
import { capture, startProgram } from './program';

/** A plain video file as a source: FFmpeg knows its container, here is only what is asked of FFmpeg. */

const tags = z.record(z.string(), z.string()).default({});
const ProbeSchema = z.object({
  streams: z
    .array(
      z.object({
        index: z.number(),
        codec_type: z.string().default(''),
        codec_name: z.string().default('unknown'),
        profile: z.union([z.string(), z.number()]).optional(),
        width: z.number().default(0),
        height: z.number().default(0),
        sample_aspect_ratio: z.string().default('1:1'),
        r_frame_rate: z.string().default('0/0'),
        avg_frame_rate: z.string().default('0/0'),
        field_order: z.string().optional(),
        pix_fmt: z.string().optional(),
        color_transfer: z.string().optional(),
        channels: z.number().default(0),
        channel_layout: z.string().optional(),
        sample_rate: z.string().default('0'),
        bits_per_raw_sample: z.string().optional(),
        bits_per_sample: z.number().optional(),
        bit_rate: z.string().optional(),
        side_data_list: z.array(z.object({ side_data_type: z.string().optional() })).default([]),
        disposition: z.record(z.string(), z.number()).default({}),
        tags,
      }),
    )
    .max(400)
    .default([]),
  chapters: z
    .array(z.object({ start_time: z.string().default('0'), tags }))
    .max(5000)
    .default([]),
  format: z.object({ duration: z.string().default('0'), format_name: z.string().default(''), tags }),
});
type Probed = z.infer<typeof ProbeSchema>;

const MAX_TEXT = 300;
/** Foreign text: bounded, without what can not be seen. */
const clean = (text: string | undefined): string | null =>
  text
    ?.replace(/[\p{Cc}\p{Cf}]/gu, '')
    .trim()
    .slice(0, MAX_TEXT) || null;
const ratioOf = (text: string, separator: string): readonly [number, number] => {
  const [a = 0, b = 0] = text.split(separator).map(Number);
  return Number.isFinite(a) && Number.isFinite(b) && a > 0 && b > 0 ? [a, b] : [0, 0];
};
const LANGUAGE = /^[a-z]{2,3}(-[A-Za-z0-9-]{2,20})?$/;

/** FFmpeg's names for two views in one block (RFC 9559, table 4: 13 and 14). */
const TWO_VIEWS: Readonly<Record<string, ProbedStream['twoViews']>> = { block_lr: 'left first', block_rl: 'right first' };

function streamOf(stream: Probed['streams'][number]): ProbedStream {
  const rate = ratioOf(stream.r_frame_rate, '/');
  const average = ratioOf(stream.avg_frame_rate, '/');
  const aspect = ratioOf(stream.sample_aspect_ratio, ':');
  const language = stream.tags['language'] ?? '';
  const is = (what: string) => stream.disposition[what] === 1;
  const kind = stream.codec_type;
  // A field rate is told as a frame rate by some containers: twice the average is believed only where it is near it.
  const frameRate =
    rate[0] > 0 && average[0] > 0 && rate[0] / rate[1] > (1.5 * average[0]) / average[1] ? average : rate[0] > 0 ? rate : average;
  const bits = Number(stream.bits_per_raw_sample ?? stream.bits_per_sample ?? 0);
  return {
    index: stream.index,
    kind: kind === 'video' || kind === 'audio' || kind === 'subtitle' ? kind : 'other',
    codec: stream.codec_name,
    profile: typeof stream.profile === 'string' ? clean(stream.profile) : null,
    language: LANGUAGE.test(language) ? languageTag(language) : null,
    widthPixels: stream.width,
    heightPixels: stream.height,
    pixelAspect: aspect[0] > 0 ? aspect : [1, 1],
    frameRate,
    fieldOrder: stream.field_order === undefined || stream.field_order === 'unknown' ? null : stream.field_order,
    pixelFormat: stream.pix_fmt ?? null,
    transfer: stream.color_transfer ?? null,
    dolbyVision: stream.side_data_list.some((d) => (d.side_data_type ?? '').startsWith('DOVI')),
    twoViews: TWO_VIEWS[stream.tags['stereo_mode'] ?? stream.tags['STEREO_MODE'] ?? ''] ?? null,
    channels: stream.channels,
    layout: stream.channel_layout?.replace('(side)', '') ?? plainLayout(stream.channels),
    sampleRateHz: Number(stream.sample_rate) || 0,
    bitDepth: bits > 0 ? bits : null,
    bitRate: Number(stream.bit_rate) > 0 ? Number(stream.bit_rate) : null,
    isForced: is('forced'),
    isCommentary: is('comment'),
    isHearingImpaired: is('hearing_impaired'),
    isVisuallyImpaired: is('visual_impaired'),
    isPicture: is('attached_pic') || is('still_image'),
  };
}
const plainLayout = (channels: number) => (channels === 1 ? 'mono' : channels === 2 ? 'stereo' : `${channels} channels`);

const SAMPLES = 16;
const SAMPLE_BYTES = 64 * 1024;

/** SHA-256 over the size and samples from the whole length: a copy of the file gives the same, another cut of it does not. */
async function fingerprintOf(file: FileHandle, sizeBytes: number): Promise<string> {
  const hash = createHash('sha256').update(`video file ${sizeBytes}\n`);
  const buffer = new Uint8Array(SAMPLE_BYTES);
  for (let i = 0; i < SAMPLES; i++) {
    const at = Math.floor(((sizeBytes - Math.min(sizeBytes, SAMPLE_BYTES)) * i) / (SAMPLES - 1));
    const { bytesRead } = await file.read(buffer, 0, SAMPLE_BYTES, at);
    hash.update(buffer.subarray(0, bytesRead));
  }
  return hash.digest('hex');
}

/** What FFmpeg says of a file, and what identifies it. @throws DiscError `not-a-disc` where FFmpeg does not know it, `read-failed`. */
export async function probeFile(path: string, name: string, signal?: AbortSignal): Promise<ProbedFile & { readonly fingerprint: string }> {
  const args = ['-v', 'error', '-show_streams', '-show_chapters', '-show_format', '-of', 'json', ...fileInput(path)];
  let found: Probed;
  try {
    found = ProbeSchema.parse(JSON.parse((await capture('ffprobe', args, signal)).out));
  } catch (error) {
    throwIfCancelled(signal, name);
    throw new DiscError('not-a-disc', { source: name, byteOffset: 0 }, 'FFmpeg does not know this file as a video or as sound', {
      cause: error,
    });
  }
  const { sizeBytes, fingerprint } = await identifyFile(path);
  return {
    name,
    sizeBytes,
    fingerprint,
    container: found.format.format_name,
    title: clean(found.format.tags['title']),
    language: languageTag(found.format.tags['language'] ?? found.format.tags['LANGUAGE'] ?? null),
    durationMs: Math.max(0, Number(found.format.duration) * 1000 || 0),
    streams: found.streams.map(streamOf),
    chapters: found.chapters.map((c) => ({ startMs: Number(c.start_time) * 1000, name: clean(c.tags['title']) })),
  };
}

/** What a plain file is known again by. */
export async function identifyFile(path: string): Promise<{ sizeBytes: number; fingerprint: string }> {
  const handle = await open(path, 'r');
  try {
    const { size } = await handle.stat();
    return { sizeBytes: size, fingerprint: await fingerprintOf(handle, size) };
  } finally {
    await handle.close();
  }
}

/**
 * Examines a plain video file.
 * @throws DiscError `not-a-disc` where FFmpeg does not know it or it holds no picture, `read-failed`.
 */
export async function readVideoFile(path: string, name: string, signal?: AbortSignal): Promise<Reading> {
  const { fingerprint, ...file } = await probeFile(path, name, signal);
  return readingOfFile(file, fingerprint);
}

/** How FFmpeg is to hand sound over: as it is, but PCM in the byte order that Matroska knows, every sample the same. */
export function soundCodec({ codec, bitDepth }: { readonly codec: AudioCodec; readonly bitDepth: number | null }): string {
  if (codec === 'PCM') return bitDepth === 16 ? 'pcm_s16le' : bitDepth === 32 ? 'pcm_s32le' : 'pcm_s24le';
  if (codec === 'PCM float') return bitDepth === 64 ? 'pcm_f64le' : 'pcm_f32le';
  return 'copy';
}

/** Codecs that Matroska does not hold as they stand in other containers; what is written instead says the same, bit for bit. */
function codecArguments(reading: Reading, streams: readonly number[]): string[] {
  const title = reading.titles[0];
  return streams.flatMap((stream, place) => {
    const audio = title?.audio.find((t) => t.stream === stream);
    const subtitle = title?.subtitles.find((t) => t.stream === stream);
    const option = `-c:${place}`;
    if (audio) return [option, soundCodec(audio)];
    if (subtitle?.codec === 'SubRip') return [option, 'srt'];
    return [option, 'copy'];
  });
}

/** Asked for a little later than wanted: the assembly itself begins with the right picture. */
const AFTER_MS = 100;

/** What of a file is asked for as Matroska. */
interface Wanted {
  /** Where to begin, milliseconds; null at the beginning. */
  readonly seekMs: number | null;
  /** How much from there is enough; to the end where it is not said. */
  readonly lengthMs?: number | undefined;
  readonly streams: readonly number[];
  /** How each is handed over, as FFmpeg's arguments. */
  readonly codecs: readonly string[];
}

/** The tracks of a Matroska file as it describes them itself. @throws DiscError where it is none; system errors. */
export async function tracksOf(file: string, signal?: AbortSignal): Promise<readonly DescribedTrack[]> {
  const chunks = createReadStream(file, { ...(signal ? { signal } : {}) });
  for await (const part of readMatroskaStream(chunks, file)) if (part.kind === 'tracks') return part.tracks;
  return [];
}

/** Streams of a file as Matroska with the file's own times, by FFmpeg, without decoding pictures or compressed sound. */
export async function* matroskaOf(
  path: string,
  { seekMs, lengthMs, streams, codecs }: Wanted,
  signal?: AbortSignal,
): AsyncGenerator<Uint8Array> {
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-copyts'],
    ...['-fflags', '+genpts'], // program streams stamp only some pictures
    ...(seekMs === null ? [] : ['-ss', (seekMs / 1000).toFixed(3), '-noaccurate_seek']),
    ...(lengthMs === undefined ? [] : ['-t', (lengthMs / 1000).toFixed(3)]),
    ...[...fileInput(path), ...streams.flatMap((s) => ['-map', `0:${s}`]), '-map_chapters', '-1', '-map_metadata', '-1'],
    ...codecs,
    ...['-copypriorss', '1', '-avoid_negative_ts', 'disabled', '-max_interleave_delta', '0', '-f', 'matroska', 'pipe:1'],
  ];
  const { stdout, errors, end, closeInput, stop } = startProgram('ffmpeg', args, { signal });
  closeInput();
  let complete = false;
  try {
    for await (const chunk of stdout) yield chunk as Uint8Array;
    complete = true;
  } finally {
    stop();
    if (complete) await end;
    else await end.catch(() => undefined);
  }
  if (errors.length > 0) throw new WorkError('encoder-failed', `The file could not be read whole: ${errors.slice(0, 2).join(' | ')}`);
}

/** Opens stretches of a plain video file. */
export function openStretches(path: string, reading: Reading, signal?: AbortSignal): OpenStretch {
  return ({ fromMs, streams }) => {
    const seekMs = fromMs === null ? null : fromMs + AFTER_MS;
    return matroskaOf(path, { seekMs, streams, codecs: codecArguments(reading, streams) }, signal);
  };
}
