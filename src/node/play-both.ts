import { pairsOnly } from '@/core/recipes';
import type { Eyes } from '@/contract';
import { feedBothViews } from './both-views';
import { startProgram, type RunningProgram } from './program';
import { tracksOf } from './video-file';

/** Both views of a stereoscopic film as they are watched. */

/** Filters that show what is wished of two views that come in turn, each with a comma behind it; empty where the first one is shown. */
export function eyesFilter(frameMs: number, { eyes, firstEye }: { readonly eyes: Eyes; readonly firstEye: 'left' | 'right' }): string {
  if (eyes === 'first') return '';
  // Alternating, the left or the right eye's first; what comes out is both with the left on the left, one alone, or for glasses.
  const to = { left: 'ml', right: 'mr', both: 'sbsl', glasses: 'arcd' }[eyes];
  return `${pairsOnly(frameMs)},stereo3d=${firstEye === 'right' ? 'ar' : 'al'}:${to},setsar=1,`;
}

/** Two views in one track of a file. */
export interface FileViews {
  /** Whose eye's the first one is. */
  readonly firstEye: 'left' | 'right';
  /** How long a picture of either is shown. */
  readonly frameMs: number;
}

/** What a Matroska file says of two views in its picture; null where it has one. @throws DiscError where it is no such file; system errors. */
export async function viewsInFile(file: string, signal?: AbortSignal): Promise<FileViews | null> {
  const picture = (await tracksOf(file, signal)).find((t) => t.kind === 'video');
  if (!picture?.firstEye || !picture.defaultDurationNs) return null;
  return { firstEye: picture.firstEye, frameMs: picture.defaultDurationNs / 1e6 };
}

/** Second views refer far back, and pictures right after a place where decoding can begin to some before it: so much earlier it is begun. */
const WARM_UP_MS = 2000;

interface Wish {
  readonly eyes: Exclude<Eyes, 'first'>;
  readonly startMs: number;
  /** Film from there that is enough, milliseconds. */
  readonly lengthMs: number;
  /** How FFmpeg is to write it: filters of the picture, and arguments behind them. */
  readonly filters: string;
  readonly output: readonly string[];
}

/**
 * Plays both views of a file from a moment on, into FFmpeg's standard output.
 * @returns the program; end it when whoever watches goes. `fed` settles when all is fed, and fails with the reason why both can not be shown.
 */
export function startBothViews(
  file: string,
  views: FileViews,
  { eyes, startMs, lengthMs, filters, output }: Wish,
  signal: AbortSignal,
): { readonly program: RunningProgram; readonly fed: Promise<unknown> } {
  const { firstEye, frameMs } = views;
  // On the file's own clock: what is before the moment is decoded and left out.
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-copyts', '-f', 'matroska', '-i', 'pipe:0', '-ss', (startMs / 1000).toFixed(3)],
    ...['-vf', `${eyesFilter(frameMs, { eyes, firstEye })}${filters}`, ...output],
  ];
  const program = startProgram('ffmpeg', args, { signal });
  const fromMs = startMs > WARM_UP_MS ? startMs - WARM_UP_MS : null;
  const enough = startMs - (fromMs ?? 0) + lengthMs;
  const fed = feedBothViews(file, program.input, { frameMs, fromMs, lengthMs: enough, everything: true, signal }).finally(() => {
    program.closeInput();
  });
  return { program, fed };
}
