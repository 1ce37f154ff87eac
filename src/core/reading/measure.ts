import type { HalvesAlike, MeasuredPicture, ScanKind, TitleMeasure, VideoTrack } from './tracks';
import type { Title } from './model';

/** What was counted over decoded sample frames. */
export interface PictureCounts {
  readonly frames: number;
  /** Frames whose two fields are of different moments. */
  readonly combed: number;
  /** Of the combed ones, those that show it by themselves, whatever their neighbours are. */
  readonly combedAlone: number;
  /** Frames whose fields belong together. */
  readonly whole: number;
  /** Frames that repeat a field of the one before: film on a video carrier. */
  readonly fieldRepeats: number;
  /** Frames that the stream's own flags show longer than the others. */
  readonly flaggedRepeats: number;
}

/** The area that is not black, in pixels of the coded picture. */
export interface PictureArea {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Shares of the frames that could be told, on which the judgement rests. Change here, nowhere else. */
export const SCAN_SHARES = {
  combedAtMost: 0.06,
  combedAtLeast: 0.6,
  pulldownRepeats: 0.25,
  flaggedRepeats: 0.3,
  combedAlone: 0.02,
} as const;
/** Fewer frames than this speak for themselves only. */
const LEAST_COMBED = 4;
/** Bars below this are the edge of the picture, not bars. */
const LEAST_BAR_PIXELS = 4;

/**
 * A frame that tells nothing by itself is counted like the one before it: in a dark or still title a few noisy frames would so speak for
 * all. Where fewer than this many show combing by themselves, they are all that are combed.
 */
export function withoutHearsay(counts: PictureCounts): PictureCounts {
  if (counts.combedAlone > Math.max(LEAST_COMBED, counts.frames * SCAN_SHARES.combedAlone)) return counts;
  return { ...counts, combed: counts.combedAlone, whole: Math.max(counts.whole, counts.frames - counts.combedAlone) };
}

/** Judges how a picture was made. Film with hard pulldown has two combed frames in five, and as many repeated fields. */
export function judgeScan(counts: PictureCounts): ScanKind {
  const told = counts.combed + counts.whole;
  const combed = told > 0 ? counts.combed / told : 0;
  const of = (n: number) => (counts.frames > 0 ? n / counts.frames : 0);
  if (of(counts.flaggedRepeats) >= SCAN_SHARES.flaggedRepeats && combed <= SCAN_SHARES.combedAtMost) return 'film with pulldown';
  if (combed <= SCAN_SHARES.combedAtMost) return 'progressive';
  // Interlaced pictures never repeat a field; film does so in two frames of five, however much its mixed frames look combed.
  if (of(counts.fieldRepeats) >= SCAN_SHARES.pulldownRepeats) return 'film with pulldown';
  return combed >= SCAN_SHARES.combedAtLeast ? 'interlaced' : 'mixed';
}

const isHalves = (found: Partial<HalvesAlike>): found is HalvesAlike =>
  [found.beside, found.besideTurned, found.below, found.belowTurned].every((likeness) => likeness !== undefined);

/** Puts counts and area together to what is kept with the reading. */
export function measuredPicture(
  video: VideoTrack,
  counts: PictureCounts,
  area: PictureArea | null,
  alike: Partial<HalvesAlike> = {},
): MeasuredPicture {
  const seen = withoutHearsay(counts);
  const inside = area ?? { x: 0, y: 0, width: video.widthPixels, height: video.heightPixels };
  const bar = (pixels: number) => (pixels >= LEAST_BAR_PIXELS ? Math.round(pixels) : 0);
  const bars = {
    top: bar(inside.y),
    bottom: bar(video.heightPixels - inside.y - inside.height),
    left: bar(inside.x),
    right: bar(video.widthPixels - inside.x - inside.width),
  };
  const pixel = (video.displayAspect[0] / video.displayAspect[1]) * (video.heightPixels / video.widthPixels);
  const width = video.widthPixels - bars.left - bars.right;
  const height = Math.max(1, video.heightPixels - bars.top - bars.bottom);
  return {
    scan: judgeScan(seen),
    frames: seen.frames,
    combed: seen.combed,
    whole: seen.whole,
    repeated: Math.max(counts.fieldRepeats, counts.flaggedRepeats),
    bars,
    halves: isHalves(alike) ? alike : null,
    trueAspect: Math.round(((width * pixel) / height) * 1000) / 1000,
  };
}

/** Halves that both eyes see are nearly the same from far away, and much less so with one turned over. */
const [ALIKE, LESS_TURNED] = [0.8, 0.25];

/** Whether samples of a title's picture look as if it held what both eyes see: side by side or one below the other; null where not. */
export function looksPacked({ measured }: Pick<Title, 'measured'>): 'beside' | 'below' | null {
  const halves = measured?.picture?.halves;
  if (!halves) return null;
  const beside = halves.beside >= ALIKE && halves.beside - halves.besideTurned >= LESS_TURNED;
  const below = halves.below >= ALIKE && halves.below - halves.belowTurned >= LESS_TURNED;
  return beside === below ? null : beside ? 'beside' : 'below';
}

/** Of the pictures that say anything of the eyes' order, so many must say the same; and so many are needed. */
const [MOST_SHARE, LEAST_PICTURES] = [0.75, 3];

/** Whether samples of a title with two views look as if the eyes were swapped: sky and far walls seldom stand before the ground. */
export function looksSwapped({ measured }: Pick<Title, 'measured'>): boolean {
  const eyes = measured?.picture?.eyes;
  return Boolean(eyes && eyes.told >= LEAST_PICTURES && eyes.swapped >= eyes.told * MOST_SHARE);
}

/** Sound below this in every window is silence, dB below full scale. */
export const SILENCE_DB = -70;

/** Puts a new measurement beside an earlier one: the picture is known from samples, subtitles from reading everything. */
export function mergeMeasures(before: TitleMeasure | null, now: TitleMeasure): TitleMeasure {
  return {
    everything: now.everything || (before?.everything ?? false),
    audio: now.audio,
    subtitles: now.everything ? now.subtitles : (before?.subtitles ?? []),
    picture: now.picture ?? before?.picture ?? null,
  };
}
