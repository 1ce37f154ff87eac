import { createReadStream } from 'node:fs';
import type { EncodePlan } from '@/core/recipes';
import { readMatroskaStream, type MatroskaSink } from '@/core/matroska';
import { writeBothViews, type Met } from '@/core/stereo';
import { openFileSink } from './library';
import { APPLICATION } from './version';
import { matroskaOf, tracksOf } from './video-file';

/** Files with two views in one picture track, as FFmpeg is given them: both views in turn, in one stream that it decodes like any other. */

const READ_BYTES = 4 * 1024 * 1024;

interface Wanted {
  /** How long a picture is shown. */
  readonly frameMs: number;
  /** Where to begin, at the place before it where decoding can begin; null at the beginning. Milliseconds. */
  readonly fromMs: number | null;
  /** How much from there is enough; to the end where it is not said. */
  readonly lengthMs?: number | undefined;
  /** Sound and subtitles go along. */
  readonly everything: boolean;
  readonly signal?: AbortSignal | undefined;
}

/**
 * Writes a file's picture as both views in turn, as Matroska on the file's own clock.
 * @throws DiscError `unsupported` with the reason where they can not be decoded this way; what reading and writing throw.
 */
export async function feedBothViews(
  file: string,
  sink: MatroskaSink,
  { frameMs, fromMs, lengthMs, everything, signal }: Wanted,
): Promise<Met> {
  const described = await tracksOf(file, signal);
  const streams = everything
    ? described.map((_, i) => i)
    : [
        Math.max(
          0,
          described.findIndex((t) => t.kind === 'video'),
        ),
      ];
  const chunks =
    fromMs === null
      ? createReadStream(file, { highWaterMark: READ_BYTES, ...(signal ? { signal } : {}) })
      : matroskaOf(file, { seekMs: fromMs, lengthMs, streams, codecs: ['-c', 'copy'] }, signal);
  const options = { name: file, application: APPLICATION, frameMs, described, everything, signal };
  return writeBothViews(readMatroskaStream(chunks, file), sink, options);
}

/** How long one picture of a plan's source is shown, where both of its views are decoded; null where they are not. */
export function bothViewsOf({ video }: EncodePlan): number | null {
  for (const step of video.steps) if (step.kind === 'pair' && step.from === 'turns') return step.frameMs;
  return null;
}

/**
 * A short file as a plan's encoder is given it.
 * @param place where it is written, where another one is needed. @param stretch what of it is enough, milliseconds. @returns the file itself, where the plan takes it as it is.
 */
export async function asDecoded(
  plan: EncodePlan,
  file: string,
  place: string,
  signal?: AbortSignal,
  stretch: { readonly fromMs: number; readonly lengthMs: number } | null = null,
): Promise<string> {
  const frameMs = bothViewsOf(plan);
  if (frameMs === null) return file;
  const sink = await openFileSink(place);
  try {
    await feedBothViews(file, sink, { frameMs, fromMs: stretch?.fromMs ?? null, lengthMs: stretch?.lengthMs, everything: true, signal });
    await sink.close();
    return place;
  } catch (error) {
    await sink.abandon();
    throw error;
  }
}

/** FFmpeg does not know the sequence sets of second views, which a master with two of them keeps; it needs none of them. */
export const isOfSecondView = (line: string): boolean => /\bsps_id \d+ out of range$/.test(line);

/** What could not be shown as it is, in words; null where all was. */
export function remarkOf({ substitutes, accessUnits, gaps }: Met): string | null {
  if (substitutes === 0) return null;
  const jumps = gaps > 0 ? `, after ${gaps} jumps in its numbers` : '';
  return `${substitutes} of ${accessUnits} pictures of the second view are missing or can not be decoded${jumps}: the first view stands for both there`;
}
