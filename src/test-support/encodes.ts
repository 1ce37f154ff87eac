import { spawnSync } from 'node:child_process';
import type { EncodeFacts } from '@/core/recipes';

/** What tests of encodes share: content that FFmpeg makes, and what is known of it beforehand. */

export const NO_BARS = { top: 0, bottom: 0, left: 0, right: 0 };

/** Runs FFmpeg. @returns what it said. @throws Error with its last words. */
export function ffmpeg(args: readonly string[]): string {
  const { status, stderr } = spawnSync('ffmpeg', ['-nostdin', '-y', '-v', 'info', '-hide_banner', ...args], {
    encoding: 'utf8',
    maxBuffer: 2 ** 26,
  });
  if (status !== 0) throw new Error(`ffmpeg ${args.join(' ')}\n${stderr.slice(-2000)}`);
  return stderr;
}

/** A picture of a DVD in NTSC, where nothing else is said; no sound, no subtitles. */
export const factsOf = (
  video: Partial<EncodeFacts['video']>,
  measured: (Omit<NonNullable<EncodeFacts['measured']>, 'bars'> & { readonly bars?: typeof NO_BARS }) | null,
): EncodeFacts => ({
  video: {
    codec: 'MPEG-2',
    widthPixels: 720,
    heightPixels: 480,
    displayAspect: [4, 3],
    frameTicks: 900_900,
    bitDepth: 8,
    dynamicRange: 'standard',
    twoViews: false,
    ...video,
  },
  flaggedInterlaced: null,
  measured: measured && { bars: NO_BARS, ...measured },
  audio: [],
  subtitles: [],
  chapters: 0,
  durationMs: 600_000,
});

/** Luma of every frame, as FFmpeg decodes it. */
export function luma(file: string, width: number, height: number): Buffer[] {
  const { stdout } = spawnSync('ffmpeg', ['-v', 'error', '-i', file, '-map', '0:v:0', '-f', 'rawvideo', '-pix_fmt', 'gray', '-'], {
    maxBuffer: 2 ** 30,
  });
  return Array.from({ length: Math.floor(stdout.length / (width * height)) }, (_, i) =>
    stdout.subarray(i * width * height, (i + 1) * width * height),
  );
}

/** Rows and columns in which two pictures differ plainly; null where they do not. */
export function changed(a: Buffer, b: Buffer, width: number): { top: number; bottom: number; left: number; right: number } | null {
  if (a.equals(b)) return null;
  let box: { top: number; bottom: number; left: number; right: number } | null = null;
  for (let i = 0; i < a.length; i++) {
    if (Math.abs((a[i] ?? 0) - (b[i] ?? 0)) < 40) continue;
    const [x, y] = [i % width, Math.floor(i / width)];
    box = box
      ? { top: Math.min(box.top, y), bottom: Math.max(box.bottom, y), left: Math.min(box.left, x), right: Math.max(box.right, x) }
      : { top: y, bottom: y, left: x, right: x };
  }
  return box;
}
