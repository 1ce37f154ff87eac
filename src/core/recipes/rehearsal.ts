import { encoderArguments } from './arguments';
import { allSteps, type EncodePlan, type PictureStep } from './encode-plan';
import { filtersOf } from './filters';
import type { EncodeFacts } from './recipe';
import { shapeOf } from './views';

/** What FFmpeg is told where a recipe is tried on short clips of a reel: one picture with and without it, and how near an encode is. */

/** What has been cut off is seen as that: a grey that no film has from edge to edge. */
const CUT_COLOUR = '0x5b6470';
const MOST_COLUMNS = 1920;

/** Size at which pictures are shown: the source's rows, in its true shape. */
export function shownSize({ video }: EncodeFacts): { width: number; height: number } {
  const shape = video.displayAspect[0] / video.displayAspect[1];
  const height = Math.min(video.heightPixels, 2 * Math.floor(MOST_COLUMNS / shape / 2));
  return { width: 2 * Math.round((height * shape) / 2), height };
}

/** Brings a treated picture back to its place in the source's, so that both lie over each other; what was cut off is grey. */
function backInPlace(plan: EncodePlan, facts: EncodeFacts): string {
  const { width, height } = shownSize(facts);
  const { widthPixels, heightPixels } = facts.video;
  if (allSteps(plan).some((s) => s.kind === 'turn' || s.kind === 'views' || s.kind === 'pair'))
    return `scale='trunc(iw*sar/2)*2':ih,setsar=1,scale=${width}:${height}:force_original_aspect_ratio=decrease:flags=bicubic,pad=${width}:${height}:-1:-1:color=${CUT_COLOUR}`;
  const crop = plan.video.steps.find((s) => s.kind === 'crop');
  const placed =
    crop?.kind === 'crop'
      ? `scale=${crop.width}:${crop.height}:flags=bicubic,pad=${widthPixels}:${heightPixels}:${crop.x}:${crop.y}:color=${CUT_COLOUR},`
      : '';
  return `${placed}scale=${width}:${height}:flags=bicubic,setsar=1`;
}

const PICTURE = ['-frames:v', '1', '-c:v', 'mjpeg', '-q:v', '2', '-pix_fmt', 'yuvj420p', '-f', 'image2pipe', 'pipe:1'];
const READ = ['-hide_banner', '-nostdin', '-y', '-loglevel', 'info'];
const at = (ms: number): string => `select='gte(t,${(ms / 1000).toFixed(4)})'`;

/** The picture of a clip at a moment as it is: JPEG on standard output. Milliseconds of the clip. */
export function plainPicture(clip: string, ms: number, facts: EncodeFacts): string[] {
  const { width, height } = shownSize(facts);
  return [...READ, '-i', clip, '-map', '0:v:0', '-vf', `${at(ms)},scale=${width}:${height}:flags=bicubic,setsar=1`, ...PICTURE];
}

/** The same picture after all treatments, not encoded. It says which one it took: see `shownMs`. */
export function treatedPicture(plan: EncodePlan, clip: string, ms: number, facts: EncodeFacts): string[] {
  const filters = filtersOf(plan);
  const after = `${at(ms)},showinfo=checksum=0,${backInPlace(plan, facts)}`;
  if (filters.endsWith('[picture]'))
    return [...READ, '-i', clip, '-filter_complex', `${filters};[picture]${after}[out]`, '-map', '[out]', ...PICTURE];
  return [...READ, '-i', clip, '-map', '0:v:0', '-vf', filters === '' ? after : `${filters},${after}`, ...PICTURE];
}

/**
 * A plan that only puts both views together as its copy will hold them: what that is compared with by eye. Null where a picture as it
 * stands in the source is that.
 */
export function viewsUntreated(plan: EncodePlan): EncodePlan | null {
  const { steps } = plan.video;
  if (!steps.some((s) => s.kind === 'pair')) return null;
  const bare = steps.flatMap((s): PictureStep[] => (s.kind === 'pair' ? [s] : s.kind === 'views' ? [{ ...s, steps: [] }] : []));
  return { ...plan, video: { ...plan.video, steps: bare } };
}

/** The time of the first picture that `showinfo` told of, in milliseconds; null where there was none. */
export function shownMs(messages: readonly string[]): number | null {
  for (const line of messages) {
    const time = /showinfo.* pts_time:\s*(-?[\d.]+)/.exec(line);
    if (time) return Number(time[1]) * 1000;
  }
  return null;
}

/** The same picture out of an encode of the clip. */
export function encodedPicture(plan: EncodePlan, encoded: string, ms: number, facts: EncodeFacts): string[] {
  // A container that holds both eyes may say the shape of one: it is shown as it lies, like the treated one.
  const asItLies = plan.video.views ? `setsar=${shapeOf(plan.video)},` : '';
  return [...READ, '-i', encoded, '-map', '0:v:0', '-vf', `${at(ms)},${asItLies}${backInPlace(plan, facts)}`, ...PICTURE];
}

/** The picture of a plan alone, in Matroska: what is tried where sound does not matter. */
export const pictureOnly = (plan: EncodePlan): EncodePlan => ({
  ...inOnePass(plan),
  container: 'Matroska',
  audio: [],
  subtitles: [],
  // The same picture at the same time, with and without: its speed is no matter here.
  slower: 1,
});

/** A plan for a clip: what is reckoned over a whole in two passes is tried at the same rate in one; chapters and cover belong to the whole. */
export const inOnePass = (plan: EncodePlan): EncodePlan => ({
  ...plan,
  chapters: false,
  cover: false,
  video: { ...plan.video, rate: plan.video.rate && { ...plan.video.rate, passes: 1 } },
});

/** Encodes the picture of a clip. */
export const clipArguments = (plan: EncodePlan, clip: string, output: string): string[] =>
  encoderArguments(pictureOnly(plan), clip, output);

/** A stretch of a copy and the same of its master, in milliseconds of each. `seekMs` is early enough for what filters look back on. */
export interface CompareWindow {
  readonly seekMs: number;
  readonly fromMs: number;
  readonly toMs: number;
  /** How much later the copy shows its first picture than the master: containers and codecs make room for sound before it. */
  readonly shiftMs: number;
}

const inSeconds = (ms: number): string => (Math.max(0, ms) / 1000).toFixed(5);

/**
 * Compares an encode with the pictures that it was made from, after all treatments, picture by picture: what is lost is what encoding
 * loses. SSIM and mean error of the luma stand in what FFmpeg says, line by line.
 * @param window null for all of it.
 */
export function comparisonArguments(plan: EncodePlan, encoded: string, original: string, window: CompareWindow | null = null): string[] {
  const numbered = 'settb=1/25,setpts=N';
  const format = `format=${plan.video.bitDepth === 10 ? 'yuv420p10le' : 'yuv420p'}`;
  const filters = filtersOf(plan);
  const part = (shiftMs: number, slower: number) =>
    window ? `trim=start=${inSeconds(window.fromMs * slower + shiftMs)}:end=${inSeconds(window.toMs * slower + shiftMs)},` : '';
  const treated = filters.endsWith('[picture]')
    ? `${filters.replaceAll('[0:', '[1:')};[picture]`
    : filters === ''
      ? '[1:v:0]'
      : `[1:v:0]${filters},`;
  const graph = [
    `${treated}${part(0, 1)}${numbered},${format},split[s1][s2]`,
    `[0:v:0]${part(window?.shiftMs ?? 0, plan.slower)}${numbered},${format},split[e1][e2]`,
    '[e1][s1]ssim,metadata=mode=print:key=lavfi.ssim.Y:file=-[a]',
    '[e2][s2]psnr,metadata=mode=print:key=lavfi.psnr.mse.y:file=-[b]',
  ];
  const seek = (ms: number) => (window && ms > 0 ? ['-seek_timestamp', '1', '-ss', inSeconds(ms), '-noaccurate_seek'] : []);
  return [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', ...(window ? ['-copyts'] : [])],
    ...[...seek((window?.seekMs ?? 0) * plan.slower + (window?.shiftMs ?? 0)), '-i', encoded],
    ...[...seek(window?.seekMs ?? 0), '-i', original],
    ...['-filter_complex', graph.join(';'), '-map', '[a]', '-f', 'null', '-', '-map', '[b]', '-f', 'null', '-'],
  ];
}

/** What `comparisonArguments` made FFmpeg say. */
export interface Nearness {
  readonly frames: number;
  /** Mean of all pictures, 0 to 1. */
  readonly ssim: number;
  /** The worst picture. */
  readonly worstSsim: number;
  /** Decibels, of the mean error of all pictures; 100 where there is none. */
  readonly psnrDb: number;
}

const MOST_DB = 100;

export function nearnessOf({ video }: EncodePlan, said: string): Nearness {
  const peak = 2 ** video.bitDepth - 1;
  const ssim = [...said.matchAll(/lavfi\.ssim\.Y=([\d.]+)/g)].map((m) => Number(m[1]));
  const mse = [...said.matchAll(/lavfi\.psnr\.mse\.y=([\d.]+)/g)].map((m) => Number(m[1]));
  const mean = (values: readonly number[]) => (values.length === 0 ? 0 : values.reduce((s, v) => s + v, 0) / values.length);
  const error = mean(mse);
  return {
    frames: ssim.length,
    ssim: mean(ssim),
    worstSsim: ssim.length === 0 ? 0 : Math.min(...ssim),
    psnrDb: error <= 0 ? MOST_DB : Math.min(MOST_DB, 10 * Math.log10((peak * peak) / error)),
  };
}

/** Several together, each by its pictures. */
export function together(parts: readonly Nearness[]): Nearness {
  const frames = parts.reduce((sum, p) => sum + p.frames, 0);
  const mean = (of: (p: Nearness) => number) => parts.reduce((sum, p) => sum + of(p) * p.frames, 0) / Math.max(1, frames);
  const error = mean((p) => 10 ** (-p.psnrDb / 10));
  return {
    frames,
    ssim: mean((p) => p.ssim),
    worstSsim: Math.min(1, ...parts.map((p) => p.worstSsim)),
    psnrDb: error <= 0 ? MOST_DB : Math.min(MOST_DB, -10 * Math.log10(error)),
  };
}
