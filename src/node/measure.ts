import { DiscError } from '@/core/bytes';
import {
  SILENCE_DB,
  measuredPicture,
  type HalvesAlike,
  type MeasuredAudio,
  type MeasuredPicture,
  type PictureArea,
  type Reading,
  type Title,
  type TitleMeasure,
} from '@/core/reading';
import { pieceChapters, reelMs, wholeTitleReel, type Piece, type Reel } from '@/core/reels';
import { depthOf, eyeOrderOf, reachBelow, type Depth, type EyePair } from '@/core/stereo';
import { picturesAt } from './pictures';
import { runProgram } from './program';
import type { MatroskaSink } from '@/core/matroska';
import type { OpenedSource } from './open-source';
import { writeReel, type WriteReelOptions } from './write-reel';

/** Windows along the title, and how long each is. */
const WINDOWS = 12;
const WINDOW_MS = 2500;
/** Levels along the title that are kept. */
const LEVELS = 60;
const MAX_LINES = 200_000;

/** Half a minute in stretches spread over a title; the whole of one that is short. Damaged chapters are passed over. */
export function spreadPieces(title: Title, angle: number): Piece[] {
  const base = { title: title.number, angle, fromChapter: 1, toChapter: title.chapters.length };
  if (title.durationMs <= WINDOWS * WINDOW_MS * 1.2) return wholeTitleReel(title, '').pieces.map((p) => ({ ...p, angle }));
  const step = title.durationMs / WINDOWS;
  return Array.from({ length: WINDOWS }, (_, i) => {
    const fromMs = Math.round(step * i + (step - WINDOW_MS) / 2);
    return { ...base, range: { fromMs, toMs: fromMs + WINDOW_MS } };
  }).filter((piece) => !pieceChapters(title, piece).some((c) => c.damaged));
}

/** How alike both halves of the picture are, seen from far away, and how alike they are with one of them turned over. */
const halves = (name: string, first: string, second: string, turn: 'hflip' | 'vflip') =>
  [
    `[${name}]split[${name}1][${name}2]`,
    `[${name}1]crop=${first},scale=32:32:flags=area,split[${name}3][${name}4]`,
    `[${name}2]crop=${second},scale=32:32:flags=area,split[${name}5][${name}6]`,
    `[${name}3][${name}5]ssim@${name},nullsink`,
    `[${name}6]${turn}[${name}7]`,
    `[${name}4][${name}7]ssim@${name}turned,nullsink`,
  ].join(';');
const HALVES = [
  'split=3[seen][beside][below]',
  halves('beside', 'iw/2:ih:0:0', 'iw/2:ih:iw/2:0', 'hflip'),
  halves('below', 'iw:ih/2:0:0', 'iw:ih/2:0:ih/2', 'vflip'),
  '[seen]null',
].join(';');

/** What FFmpeg's filters say while they look; every line begins with the name that the filter was given. */
class Findings {
  combed = 0;
  combedAlone = 0;
  whole = 0;
  fieldRepeats = 0;
  readonly halves: Partial<Record<keyof HalvesAlike, number>> = {};
  private area: { left: number; top: number; right: number; bottom: number } | null = null;
  readonly levels = new Map<number, number[]>();
  readonly means = new Map<number, number>();
  readonly peaks = new Map<number, number>();

  line(text: string): void {
    const crop = /crop=(\d+):(\d+):(\d+):(\d+)/.exec(text);
    if (crop) {
      const [width = 0, height = 0, x = 0, y = 0] = crop.slice(1).map(Number);
      const a = this.area;
      this.area = {
        left: Math.min(a?.left ?? x, x),
        top: Math.min(a?.top ?? y, y),
        right: Math.max(a?.right ?? 0, x + width),
        bottom: Math.max(a?.bottom ?? 0, y + height),
      };
      return;
    }
    const fields = /Multi frame detection: TFF:\s*(\d+) BFF:\s*(\d+) Progressive:\s*(\d+)/.exec(text);
    if (fields) {
      this.combed = Number(fields[1]) + Number(fields[2]);
      this.whole = Number(fields[3]);
    }
    const alone = /Single frame detection: TFF:\s*(\d+) BFF:\s*(\d+)/.exec(text);
    // Fields come in one order throughout: frames that say the other one are noise.
    if (alone) this.combedAlone = Math.abs(Number(alone[1]) - Number(alone[2]));
    const repeats = /Repeated Fields: Neither:\s*\d+ Top:\s*(\d+) Bottom:\s*(\d+)/.exec(text);
    if (repeats) this.fieldRepeats = Number(repeats[1]) + Number(repeats[2]);
    const alike = /ssim@(beside|below)(turned)? .*SSIM Y:([\d.]+)/.exec(text);
    if (alike) this.halves[`${alike[1] as 'beside' | 'below'}${alike[2] ? 'Turned' : ''}`] = Number(alike[3]);
    const level = /ametadata@a(\d+) .*RMS_level=(-?[\d.]+|-inf|nan)/.exec(text);
    if (level) {
      const list = this.levels.get(Number(level[1])) ?? [];
      list.push(level[2] === '-inf' || level[2] === 'nan' ? -120 : Number(level[2]));
      this.levels.set(Number(level[1]), list);
    }
    const mean = /volumedetect@v(\d+) .*mean_volume: (-?[\d.]+|-inf)/.exec(text);
    if (mean) this.means.set(Number(mean[1]), mean[2] === '-inf' ? -120 : Number(mean[2]));
    const peak = /volumedetect@v(\d+) .*max_volume: (-?[\d.]+|-inf)/.exec(text);
    if (peak) this.peaks.set(Number(peak[1]), peak[2] === '-inf' ? -120 : Number(peak[2]));
  }

  get pictureArea(): PictureArea | null {
    return (
      this.area && {
        x: this.area.left,
        y: this.area.top,
        width: this.area.right - this.area.left,
        height: this.area.bottom - this.area.top,
      }
    );
  }
}

function thinned(levels: readonly number[]): number[] {
  if (levels.length <= LEVELS) return levels.map((l) => Math.round(l * 10) / 10);
  return Array.from({ length: LEVELS }, (_, i) => {
    const part = levels.slice(Math.floor((i * levels.length) / LEVELS), Math.floor(((i + 1) * levels.length) / LEVELS));
    return Math.round(Math.max(...part) * 10) / 10;
  });
}

export interface MeasureOptions extends WriteReelOptions {
  /** Read every packet: forced subtitles and twins are then certain. Otherwise samples along the title are looked at. */
  readonly everything: boolean;
}

/**
 * Listens to all sound of a title, looks at its picture, and counts its subtitles.
 * @throws DiscError of the source; WorkError `encoder-failed` where nothing can be decoded.
 */
export async function measureTitle(opened: OpenedSource, reading: Reading, title: Title, options: MeasureOptions): Promise<TitleMeasure> {
  const { everything, signal } = options;
  const whole = wholeTitleReel(title, '');
  const reel: Reel = everything ? whole : { ...whole, pieces: spreadPieces(title, 1) };
  const totalMs = Math.max(1, reelMs(reading.titles, reel.pieces));
  const found = new Findings();
  const everySamples = Math.max(4800, Math.round((totalMs / LEVELS) * 48));
  const args = [
    ...['-hide_banner', '-nostdin', '-loglevel', 'info', '-nostats', '-f', 'matroska', '-i', 'pipe:0'],
    // Decoding every picture of a long film is another matter than listening to it: pictures are looked at in samples.
    ...(everything
      ? ['-vn']
      : ['-map', '0:v:0', '-vf', `idet,cropdetect=limit=24/255:round=2:reset=1,${HALVES}`, '-fps_mode', 'passthrough']),
    ...reel.audio.flatMap((_, i) => [
      ...['-map', `0:a:${i}`, `-filter:a:${i}`],
      `asetnsamples=n=${everySamples}:p=0,astats=metadata=1:reset=1,ametadata@a${i}=mode=print:key=lavfi.astats.Overall.RMS_level,volumedetect@v${i}`,
    ]),
    ...['-f', 'null', '-'],
  ];
  const listens = !everything || reel.audio.length > 0;
  let lines = 0;
  const onLine = (line: string) => {
    if (lines++ < MAX_LINES) found.line(line);
  };
  const write = (sink: MatroskaSink) => writeReel(opened, reading, reel, sink, options);
  const written = listens
    ? (await runProgram('ffmpeg', args, { signal, onLine, feed: write })).fed
    : await write({ write: () => Promise.resolve(), writeAt: null });
  const { promise } = written;
  const { frames, repeated: flaggedRepeats } = written.counts;
  const audio = reel.audio.map((taken, i): MeasuredAudio => {
    const own = promise.tracks[1 + i];
    const twin = promise.tracks.findIndex((t) => t.kind === 'audio' && own !== undefined && t.hash === own.hash && t.bytes > 0);
    const peakDb = found.peaks.get(i) ?? null;
    return {
      stream: taken.stream,
      meanDb: found.means.get(i) ?? null,
      peakDb,
      overTimeDb: thinned(found.levels.get(i) ?? []),
      silent: peakDb !== null && peakDb <= SILENCE_DB,
      sameAs: twin >= 1 && twin < 1 + i ? (promise.tracks[twin]?.stream ?? null) : null,
    };
  });
  const subtitles = promise.tracks
    .filter((t) => t.kind === 'subtitle')
    .map((t) => ({ stream: t.stream, events: t.packets, forcedAtMs: everything ? [...t.forcedAtMs] : [] }));
  const { combed, combedAlone } = found;
  const counts = { frames, combed, combedAlone, whole: found.whole, fieldRepeats: found.fieldRepeats, flaggedRepeats };
  return {
    everything,
    audio,
    subtitles: everything ? subtitles : [],
    picture: everything
      ? null
      : {
          ...measuredPicture(title.video, counts, found.pictureArea, found.halves),
          eyes: await lookAtEyes(opened, reading, title, signal),
        },
  };
}

const EYE_PICTURES = 10;
/** Of each eye. */
const EYE_WIDTH = 480;

/**
 * What pictures spread over a title with two views say of the eyes' order, or why both can not be decoded; null where there is one view.
 * @throws DiscError of the source, WorkError.
 */
async function lookAtEyes(opened: OpenedSource, reading: Reading, title: Title, signal: AbortSignal): Promise<MeasuredPicture['eyes']> {
  const { secondView } = title.video;
  if (!secondView) return null;
  const moments = Array.from({ length: EYE_PICTURES }, (_, i) => Math.round(((i + 0.5) * title.durationMs) / EYE_PICTURES));
  const shown = { angle: 1, width: EYE_WIDTH * 2, eyes: 'both', firstEye: secondView.baseIsRight ? 'right' : 'left' } as const;
  try {
    const pictures = await picturesAt(opened, reading, title, shown, moments, signal);
    const depths: (Depth | null)[] = [];
    for (const jpeg of pictures.values()) depths.push(depthOf(await eyesOf(jpeg, signal)));
    return { ...eyeOrderOf(depths), below: reachBelow(depths) };
  } catch (error) {
    if (!(error instanceof DiscError) || error.code !== 'unsupported') throw error;
    return { told: 0, swapped: 0, refused: error.detail };
  }
}

/** Both eyes of a picture that holds them side by side, in grey. */
async function eyesOf(jpeg: Uint8Array, signal: AbortSignal): Promise<EyePair> {
  const chunks: Buffer[] = [];
  const args = ['-nostdin', '-v', 'error', '-f', 'mjpeg', '-i', 'pipe:0', '-pix_fmt', 'gray', '-f', 'rawvideo', 'pipe:1'];
  await runProgram('ffmpeg', args, {
    signal,
    feed: (input) => input.write(jpeg),
    read: async (stdout) => {
      for await (const chunk of stdout) chunks.push(chunk as Buffer);
    },
  });
  const all = Buffer.concat(chunks);
  const height = Math.floor(all.byteLength / (EYE_WIDTH * 2));
  const half = (from: number) => {
    const eye = new Uint8Array(EYE_WIDTH * height);
    for (let y = 0; y < height; y++) eye.set(all.subarray(y * EYE_WIDTH * 2 + from, y * EYE_WIDTH * 2 + from + EYE_WIDTH), y * EYE_WIDTH);
    return eye;
  };
  return { left: half(0), right: half(EYE_WIDTH), width: EYE_WIDTH, height };
}
