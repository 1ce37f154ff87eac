import { together, type Nearness } from './rehearsal';

/** Short stretches of a title that stand for all of it, and what trying a recipe on them says. */

/** What is known of a stretch before anything is encoded. */
export interface Stretch {
  readonly fromMs: number;
  readonly toMs: number;
  /** What the source itself took for its picture. */
  readonly sourceBytes: number;
  /** Mean brightness, 0 to 255. */
  readonly brightness: number;
}
export type SampleKind = 'dark' | 'still' | 'busy' | 'usual';
export interface Sample extends Stretch {
  readonly kind: SampleKind;
}

/** How many stretches are tried. */
export const SAMPLES = 5;

/**
 * Samples by content: the darkest, the stillest and the busiest stretch, since codecs fail there first, and others between them.
 * The source's own bytes say how much happens: its encoder had to pay for it.
 */
export function chooseSamples(stretches: readonly Stretch[]): Sample[] {
  const left = [...stretches];
  const chosen: Sample[] = [];
  const take = (kind: SampleKind, better: (a: Stretch, b: Stretch) => number) => {
    const [best] = [...left].sort(better);
    if (!best) return;
    left.splice(left.indexOf(best), 1);
    chosen.push({ ...best, kind });
  };
  take('busy', (a, b) => b.sourceBytes - a.sourceBytes);
  take('dark', (a, b) => a.brightness - b.brightness);
  take('still', (a, b) => a.sourceBytes - b.sourceBytes);
  while (chosen.length < SAMPLES && left.length > 0) {
    const sorted = [...left].map((s) => s.sourceBytes).sort((a, b) => a - b);
    const middle = sorted[Math.floor(sorted.length / 2)] ?? 0;
    take('usual', (a, b) => Math.abs(a.sourceBytes - middle) - Math.abs(b.sourceBytes - middle));
  }
  return chosen.sort((a, b) => a.fromMs - b.fromMs);
}

/** Bytes of an encoded picture, in order of decoding. */
export interface EncodedPicture {
  readonly bytes: number;
  readonly key: boolean;
}

/**
 * What a sample would take inside a whole: every sample begins with a key picture, of which a whole has one in so many pictures only.
 * @param usualKeys pictures from one key picture to the next, where nothing changes abruptly.
 */
export function bytesInside(pictures: readonly EncodedPicture[], usualKeys: number): number {
  const sum = pictures.reduce((total, p) => total + p.bytes, 0);
  const [first, ...others] = pictures;
  if (!first?.key || others.length === 0 || pictures.length >= usualKeys) return sum;
  const plain = others.filter((p) => !p.key);
  const usual = plain.length > 0 ? plain.reduce((total, p) => total + p.bytes, 0) / plain.length : first.bytes;
  // It stands for so large a share of a key picture as the sample is of the stretch between two; else an ordinary picture is there.
  const share = Math.min(1, pictures.length / usualKeys);
  return Math.round(sum - first.bytes + share * first.bytes + (1 - share) * Math.min(usual, first.bytes));
}

/** How one sample came out. */
export interface SampleResult extends Nearness {
  readonly kind: SampleKind;
  readonly fromMs: number;
  readonly bytes: number;
  readonly sourceBytes: number;
  /** Milliseconds of film, and of this machine's time for it. */
  readonly ms: number;
  readonly tookMs: number;
}

export interface TrialResult {
  readonly samples: readonly SampleResult[];
  readonly ssim: number;
  readonly worstSsim: number;
  readonly psnrDb: number;
  /** Of the picture of the whole, about; and between which bounds. */
  readonly pictureBytes: number;
  readonly leastBytes: number;
  readonly mostBytes: number;
  /** Seconds of film in a second of this machine. */
  readonly pace: number;
}

/**
 * What samples say of the whole. Busy stretches take more of the source and more of the copy: so the share of the source that a copy
 * takes is what is carried over to all stretches, not the bytes of those that happened to be tried.
 * @param stretches all that were looked at, spread evenly over the whole. @param wholeMs how long the whole is.
 */
export function trialOf(samples: readonly SampleResult[], stretches: readonly Stretch[], wholeMs: number): TrialResult {
  const sum = (of: (s: SampleResult) => number) => samples.reduce((total, s) => total + of(s), 0);
  const share =
    sum((s) => s.bytes) /
    Math.max(
      1,
      sum((s) => s.sourceBytes),
    );
  const looked = stretches.reduce((total, s) => total + s.toMs - s.fromMs, 0) || 1;
  const whole = (stretches.reduce((total, s) => total + s.sourceBytes, 0) / looked) * wholeMs;
  const shares = samples.map((s) => s.bytes / Math.max(1, s.sourceBytes));
  // How far the mean of so few may be off: twice its standard error.
  const variance = shares.reduce((total, s) => total + (s - share) ** 2, 0) / Math.max(1, shares.length - 1);
  const off = 2 * Math.sqrt(variance / Math.max(1, shares.length));
  const { ssim, worstSsim, psnrDb } = together(samples);
  return {
    samples,
    ssim,
    worstSsim,
    psnrDb,
    pictureBytes: Math.round(whole * share),
    leastBytes: Math.round(whole * Math.max(0, share - off)),
    mostBytes: Math.round(whole * (share + off)),
    pace:
      sum((s) => s.ms) /
      Math.max(
        1,
        sum((s) => s.tookMs),
      ),
  };
}

/**
 * Finds the least quality (the largest number, for the smallest file) that still keeps its samples as near as wanted: halves the scale
 * until one step is left. @param reaches whether the samples are near enough at a value.
 * @returns null where even the best value does not reach it.
 */
export async function leastQuality(best: number, least: number, reaches: (quality: number) => Promise<boolean>): Promise<number | null> {
  let [good, bad] = [best - 1, least + 1];
  while (bad - good > 1) {
    const middle = Math.floor((good + bad) / 2);
    if (await reaches(middle)) good = middle;
    else bad = middle;
  }
  return good < best ? null : good;
}
