import { mkdirSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import type { MatroskaSink } from '@/core/matroska';
import { WorkError, toProblem, type ReadCue, type ReadTextLine } from '@/contract';
import { withClipFolder, type LookedAt } from './clips';
import { openFileSink } from './library';
import { grayPng } from './png';
import { capture, runProgram } from './program';
import { writeReel } from './write-reel';

/** Subtitle pictures read into text by tesseract: each with how sure that is, and its picture beside it. Nothing is decided here. */

/** Its data by language: ISO 639-2/T mostly, as its packages are called. */
const DATA: Readonly<Record<string, string>> = {
  ar: 'ara',
  bg: 'bul',
  ca: 'cat',
  cs: 'ces',
  cy: 'cym',
  da: 'dan',
  de: 'deu',
  el: 'ell',
  en: 'eng',
  es: 'spa',
  et: 'est',
  eu: 'eus',
  fa: 'fas',
  fi: 'fin',
  fr: 'fra',
  ga: 'gle',
  gd: 'gla',
  gl: 'glg',
  he: 'heb',
  hi: 'hin',
  hr: 'hrv',
  hu: 'hun',
  id: 'ind',
  is: 'isl',
  it: 'ita',
  ja: 'jpn',
  ko: 'kor',
  la: 'lat',
  lt: 'lit',
  lv: 'lav',
  nb: 'nor',
  nl: 'nld',
  nn: 'nor',
  no: 'nor',
  pl: 'pol',
  pt: 'por',
  ro: 'ron',
  ru: 'rus',
  sk: 'slk',
  sl: 'slv',
  sr: 'srp',
  sv: 'swe',
  th: 'tha',
  tr: 'tur',
  uk: 'ukr',
  vi: 'vie',
  zh: 'chi-sim',
};
/** Names of its data have an underscore where its packages have a hyphen. */
const fileOf = (data: string): string => data.replace('-', '_');

/** The data for a language that is there. @throws WorkError `text-reader-missing`, with what to install. */
async function dataFor(language: string | null, signal: AbortSignal): Promise<string> {
  const listed = await capture('tesseract', ['--list-langs'], signal).catch((error: unknown) => {
    if (signal.aborted) throw error;
    throw new WorkError(
      'text-reader-missing',
      `Pictures are read by tesseract, which is not here (${toProblem(error).message}): apt-get install tesseract-ocr`,
    );
  });
  const here = new Set(listed.out.split('\n').map((line) => line.trim()));
  const data = DATA[(language ?? 'en').split('-')[0]?.toLowerCase() ?? ''] ?? null;
  if (data === null)
    throw new WorkError('text-reader-missing', `Nothing reads subtitles in “${language ?? ''}”: say in “Disc facts” which language it is`);
  if (here.has(fileOf(data))) return fileOf(data);
  throw new WorkError('text-reader-missing', `To read this language tesseract needs its data: apt-get install tesseract-ocr-${data}`);
}

const NOWHERE: MatroskaSink = { write: () => Promise.resolve(), writeAt: () => Promise.resolve() };

/** Writes one subtitle track of a reel into a file of its own, as it is written beside a master. */
async function writeTrack(
  { opened, reading, reel }: LookedAt,
  subtitle: number,
  file: string,
  signal: AbortSignal,
  onProgress: (done: number, total: number) => void,
): Promise<void> {
  const track = reel.subtitles[subtitle];
  if (!track) throw new WorkError('bad-request', 'The reel has no such subtitle track');
  const only = { ...reel, audio: [], addedAudio: [], added: [], subtitles: [track] };
  const sink = await openFileSink(file);
  try {
    await writeReel(opened, reading, only, NOWHERE, { signal, onProgress, openBeside: () => Promise.resolve(sink) });
  } finally {
    await sink.abandon();
  }
}

const dataAddress = async (png: string): Promise<string> => `data:image/png;base64,${(await readFile(png)).toString('base64')}`;

interface Shown {
  readonly startMs: number;
  readonly endMs: number;
  readonly png: string;
}

/** Around the text, so that it is not taken for a frame of a page. */
const MARGIN = 16;
/** Letters of a DVD are small for a reader: twice as high they are read better. */
const SMALL_ROWS = 720;
/** How long the last one stands where nothing says so. */
const LAST_MS = 3000;
/** More subtitles than any film has: what says so is no subtitle track. */
const MOST_CUES = 20_000;

/** Rows and columns that are not white; null for an empty picture. */
function inked(data: Uint8Array, width: number, height: number): { top: number; bottom: number; left: number; right: number } | null {
  let [top, bottom, left, right] = [-1, -1, width, -1];
  for (let y = 0; y < height; y++) {
    const row = data.subarray(y * width, (y + 1) * width);
    let first = 0;
    while (first < width && (row[first] as number) > 160) first++;
    if (first === width) continue;
    let last = width - 1;
    while ((row[last] as number) > 160) last--;
    if (top < 0) top = y;
    bottom = y;
    left = Math.min(left, first);
    right = Math.max(right, last);
  }
  return top < 0 ? null : { top, bottom, left, right };
}

/** A part of a picture with white around it. */
function cutOut(
  data: Uint8Array,
  width: number,
  box: NonNullable<ReturnType<typeof inked>>,
): { data: Uint8Array; width: number; height: number } {
  const [w, h] = [box.right - box.left + 1 + 2 * MARGIN, box.bottom - box.top + 1 + 2 * MARGIN];
  const out = new Uint8Array(w * h).fill(255);
  for (let y = box.top; y <= box.bottom; y++)
    out.set(data.subarray(y * width + box.left, y * width + box.right + 1), (y - box.top + MARGIN) * w + MARGIN);
  return { data: out, width: w, height: h };
}

/** Every picture of a track: dark text on white, when it is shown and when it goes. FFmpeg says the times beside the pictures. */
async function picturesOf(
  track: string,
  folder: string,
  size: { widthPixels: number; heightPixels: number },
  signal: AbortSignal,
): Promise<Shown[]> {
  const times: number[] = [];
  const files = new Map<number, string>();
  const by = size.heightPixels < SMALL_ROWS ? 2 : 1;
  const [width, height] = [size.widthPixels * by, size.heightPixels * by];
  const filter = `scale=${width}:${height}:flags=bicubic,format=gbrap,premultiply=inplace=1,format=gray,negate,showinfo=checksum=0`;
  const args = [
    ...[
      '-hide_banner',
      '-nostdin',
      '-loglevel',
      'info',
      '-canvas_size',
      `${size.widthPixels}x${size.heightPixels}`,
      '-f',
      'matroska',
      '-i',
      track,
    ],
    ...['-filter_complex', `[0:s:0]${filter}[out]`, '-map', '[out]', '-fps_mode', 'passthrough', '-f', 'rawvideo', 'pipe:1'],
  ];
  const onLine = (line: string) => {
    const time = /showinfo.* pts_time:\s*(-?[\d.]+)/.exec(line);
    if (time) times.push(Number(time[1]) * 1000);
  };
  let count = 0;
  const take = (frame: Uint8Array) => {
    const box = inked(frame, width, height);
    if (box && count < MOST_CUES) {
      const cut = cutOut(frame, width, box);
      const file = path.join(folder, `${count}.png`);
      writeFileSync(file, grayPng(cut.data, cut.width, cut.height));
      files.set(count, file);
    }
    count++;
  };
  await runProgram('ffmpeg', args, {
    signal,
    onLine,
    read: async (stdout) => {
      const frame = new Uint8Array(width * height);
      let filled = 0;
      for await (const chunk of stdout as AsyncIterable<Buffer>)
        for (let at = 0; at < chunk.byteLength;) {
          const part = chunk.subarray(at, at + frame.byteLength - filled);
          frame.set(part, filled);
          filled += part.byteLength;
          at += part.byteLength;
          if (filled < frame.byteLength) continue;
          take(frame);
          filled = 0;
        }
    },
  });
  const shown: Shown[] = [];
  for (const [index, png] of files) {
    const startMs = times[index];
    if (startMs === undefined) continue;
    const endMs = times.slice(index + 1).find((t) => t > startMs) ?? startMs + LAST_MS;
    shown.push({ startMs: Math.round(startMs), endMs: Math.round(endMs), png });
  }
  return shown;
}

/** Words of pages, as tesseract prints them: page, block, paragraph, line, word, place, percent, text. */
export function readPages(tsv: string, pages: number): { text: string; percent: number }[] {
  const lines = Array.from({ length: pages }, () => new Map<string, string[]>());
  const least = Array.from({ length: pages }, () => 100);
  for (const line of tsv.split('\n')) {
    const [level, page, block, paragraph, row, , , , , , percent, ...words] = line.split('\t');
    const text = words.join('\t').trim();
    const at = Number(page) - 1;
    const found = lines[at];
    if (level !== '5' || !found || text === '') continue;
    const key = `${block} ${paragraph} ${row}`;
    found.set(key, [...(found.get(key) ?? []), text]);
    least[at] = Math.min(least[at] ?? 100, Number(percent));
  }
  return lines.map((found, i) => {
    const text = [...found.values()].map((words) => words.join(' ')).join('\n');
    // A picture in which nothing was read is the least sure of all.
    return { text, percent: text === '' ? 0 : Math.max(0, Math.round(least[i] ?? 0)) };
  });
}

/** Pictures that are read by one process: each takes about a tenth of a second, and its data as long to load. */
const AT_ONCE = 24;

/**
 * Reads a subtitle track of a reel into text and says it in parts. @param subtitle place among the reel's own subtitles.
 * @throws WorkError `text-reader-missing`, `bad-request`; what reading the source throws.
 */
export function readSubtitleText(
  looked: LookedAt,
  subtitle: number,
  { signal, say }: { signal: AbortSignal; say: (line: ReadTextLine) => void },
): Promise<void> {
  return withClipFolder(async (folder) => {
    const data = await dataFor(looked.reel.subtitles[subtitle]?.language ?? null, signal);
    const track = path.join(folder, 'track.mkv');
    let last = 0;
    await writeTrack(looked, subtitle, track, signal, (done, total) => {
      if (Date.now() - last < 200) return;
      last = Date.now();
      say({ type: 'progress', part: 'disc', done, total });
    });
    const pictures = path.join(folder, 'pictures');
    mkdirSync(pictures);
    const shown = await picturesOf(track, pictures, looked.title.video, signal);
    for (let at = 0; at < shown.length; at += AT_ONCE) {
      const some = shown.slice(at, at + AT_ONCE);
      const list = path.join(folder, 'list.txt');
      writeFileSync(list, some.map((s) => `${s.png}\n`).join(''));
      const { out } = await capture('tesseract', [list, 'stdout', '-l', data, '--psm', '6', 'tsv'], signal);
      const read = readPages(out, some.length);
      const cues = await Promise.all(
        some.map(async ({ startMs, endMs, png }, i): Promise<ReadCue> => ({
          startMs,
          endMs,
          ...(read[i] ?? { text: '', percent: 0 }),
          picture: await dataAddress(png),
        })),
      );
      say({ type: 'cues', cues });
      say({ type: 'progress', part: 'text', done: Math.min(shown.length, at + AT_ONCE), total: shown.length });
    }
    if (shown.length === 0) say({ type: 'cues', cues: [] });
  });
}
