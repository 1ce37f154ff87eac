import path from 'node:path';
import {
  comparisonArguments,
  nearnessOf,
  takesBothViews,
  together,
  type CompareWindow,
  type EncodePlan,
  type Nearness,
} from '@/core/recipes';
import { asDecoded } from './both-views';
import { withClipFolder } from './clips';
import { withEncodeFolder } from './encode-folder';
import { pictureStart } from './ffmpeg';
import { capture } from './program';

/** What came of an encode: how near it is to the master, by stretches spread over all of it. */

const WINDOWS = 5;
const WINDOW_MS = 1500;
/** Film before a stretch that filters look back on. */
const BEFORE_MS = 3000;
/** Film behind a stretch: pictures are not coded in the order in which they are shown. */
const AFTER_MS = 1000;

/** Compares an encode with what it was made from. @param window null for all of it. @throws WorkError `encoder-failed`. */
export async function compareEncode(
  plan: EncodePlan,
  encoded: string,
  original: string,
  window: CompareWindow | null,
  signal?: AbortSignal,
): Promise<Nearness> {
  // The master as it stands: of what goes along with a copy nothing is compared.
  const picture = { ...plan, chapters: false, cover: false };
  const compare = (source: string) =>
    withEncodeFolder(picture, { source: original }, async (cwd) => {
      const { out } = await capture('ffmpeg', comparisonArguments(plan, path.resolve(encoded), path.resolve(source), window), signal, cwd);
      return nearnessOf(plan, out);
    });
  if (!takesBothViews(plan)) return compare(original);
  const stretch = window && { fromMs: Math.max(0, window.seekMs), lengthMs: window.toMs - window.seekMs + AFTER_MS };
  return withClipFolder(async (folder) => compare(await asDecoded(plan, original, path.join(folder, 'both.mkv'), signal, stretch)));
}

/**
 * Compares a copy with its master, both as files. A few stretches of a second and a half: reading all would take as long as encoding.
 * @returns null where nothing was encoded, or nothing lost. @throws WorkError `encoder-failed`.
 */
export async function nearnessToMaster(
  plan: EncodePlan,
  copy: string,
  master: string,
  durationMs: number,
  signal?: AbortSignal,
): Promise<Nearness | null> {
  const { codec, steps } = plan.video;
  const picturesPerSecond = plan.video.picturesPerSecond * plan.slower;
  if (codec === 'copy' || codec === 'FFV1') return null;
  const shiftMs = (await pictureStart(copy, signal)) - (await pictureStart(master, signal)) * plan.slower;
  const frameMs = 1000 / picturesPerSecond;
  // Which frame in five is dropped depends on where one begins to count: only the beginning is the same for both.
  const isFilm = steps.some((s) => s.kind === 'film');
  const count = isFilm ? 1 : Math.max(1, Math.min(WINDOWS, Math.floor(durationMs / WINDOW_MS)));
  const parts: Nearness[] = [];
  for (let i = 0; i < count; i++) {
    const wished = ((i + 0.5) * durationMs) / count - WINDOW_MS / 2;
    // Between two pictures: rounding of times then moves none of them over the edge.
    const fromMs = isFilm ? 0 : Math.max(0, (Math.floor(wished / frameMs) - 0.5) * frameMs);
    const window = { seekMs: fromMs - BEFORE_MS, fromMs, toMs: fromMs + WINDOW_MS, shiftMs };
    const near = await compareEncode(plan, copy, master, window, signal);
    if (near.frames > 0) parts.push(near);
  }
  return parts.length > 0 ? together(parts) : null;
}
