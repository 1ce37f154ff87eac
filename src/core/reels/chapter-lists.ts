import { stampOf } from '../reading';
import type { ReelChapter } from './model';

/** Chapters as text that other programs read: WebVTT, and a line each. */

const MOST_CHAPTERS = 999;
const MOST_TEXT = 1024 * 1024;

/** What is wrong with a list of chapters, and where. */
export class ChapterListError extends Error {
  override readonly name = 'ChapterListError';
  constructor(
    message: string,
    /** From 1; 0 where no single line is to blame. */
    readonly line: number,
  ) {
    super(line > 0 ? `Line ${line}: ${message}` : message);
  }
}

/** Reads "1:02:03.450", "02:03.45" or "123.4". @returns milliseconds, or null. */
export function readStamp(text: string): number | null {
  const match = /^(?:(\d{1,3}):)?(?:(\d{1,4}):)?(\d{1,6})(?:[.,](\d{1,9}))?$/.exec(text.trim());
  if (!match) return null;
  const [, a, b, seconds = '0', fraction = ''] = match;
  const [hours, minutes] = b === undefined ? [0, Number(a ?? 0)] : [Number(a ?? 0), Number(b)];
  return (hours * 3600 + minutes * 60 + Number(seconds)) * 1000 + Math.round(Number(`0.${fraction || '0'}`) * 1000);
}

const oneLine = (name: string) => name.replace(/\s+/g, ' ').trim();

/** A line each: "HH:MM:SS.mmm name". */
export const chaptersToText = (chapters: readonly ReelChapter[]): string =>
  chapters.map((c) => `${stampOf(c.startMs)} ${oneLine(c.name)}\n`).join('');

/** Chapters as a WebVTT file (W3C WebVTT: chapters metadata): a cue each, from its beginning to the next one's. */
export function chaptersToWebVtt(chapters: readonly ReelChapter[], durationMs: number): string {
  const safe = (name: string) => (oneLine(name) || '-').replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('-->', '--&gt;');
  const cues = chapters.map((c, i) => {
    const end = Math.max(chapters[i + 1]?.startMs ?? durationMs, c.startMs + 1);
    return `${i + 1}\n${stampOf(c.startMs)} --> ${stampOf(end)}\n${safe(c.name)}\n`;
  });
  return ['WEBVTT\n', ...cues].join('\n');
}

const unescaped = (text: string) =>
  text
    .replace(/<[^>]*>/g, '')
    .replaceAll('&lt;', '<')
    .replaceAll('&gt;', '>')
    .replaceAll('&nbsp;', ' ')
    .replaceAll('&amp;', '&');

/**
 * Reads chapters from text: WebVTT, lines of a time and a name, or lines of names alone (`startMs` is then null and the
 * names go to the chapters that there are).
 * @throws ChapterListError with the line that can not be read.
 */
export function readChapterList(text: string): { startMs: number | null; name: string }[] {
  if (text.length > MOST_TEXT) throw new ChapterListError('This is far larger than any list of chapters', 0);
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\r|\n/);
  const found = /^WEBVTT(\s|$)/.test(lines[0] ?? '') ? readWebVtt(lines) : readLines(lines);
  if (found.length === 0) throw new ChapterListError('There is no chapter in it', 0);
  if (found.length > MOST_CHAPTERS) throw new ChapterListError(`There are more than ${MOST_CHAPTERS} chapters in it`, 0);
  for (let i = 1; i < found.length; i++)
    if ((found[i]?.startMs ?? 0) < (found[i - 1]?.startMs ?? 0))
      throw new ChapterListError(`Chapter ${i + 1} begins before the one above it`, 0);
  return found;
}

function readWebVtt(lines: readonly string[]): { startMs: number | null; name: string }[] {
  const found: { startMs: number; name: string }[] = [];
  for (let i = 1; i < lines.length; i++) {
    const times = /^\s*(\S+)\s+-->\s+(\S+)/.exec(lines[i] ?? '');
    if (!times) continue;
    const startMs = readStamp(times[1] ?? '');
    if (startMs === null) throw new ChapterListError(`“${times[1] ?? ''}” is no time`, i + 1);
    const words: string[] = [];
    while (i + 1 < lines.length && (lines[i + 1] ?? '').trim() !== '') words.push(lines[++i] ?? '');
    found.push({ startMs, name: oneLine(unescaped(words.join(' '))) });
  }
  return found;
}

function readLines(lines: readonly string[]): { startMs: number | null; name: string }[] {
  const rows = lines.map((line, i) => ({ line: line.trim(), number: i + 1 })).filter(({ line }) => line !== '');
  const timed = rows.map(({ line, number }) => {
    const match = /^(\d[\d:]*[:.]\d[\d.,]*)(?:\s+[-–]?\s*(.*))?$/.exec(line);
    const startMs = match ? readStamp(match[1] ?? '') : null;
    return { startMs, name: oneLine(startMs === null ? line : (match?.[2] ?? '')), number };
  });
  const count = timed.filter((t) => t.startMs !== null).length;
  const without = timed.find((t) => t.startMs === null);
  if (count > 0 && without) throw new ChapterListError('It has no time at its beginning, others have', without.number);
  return timed.map(({ startMs, name }) => ({ startMs, name }));
}

/** Names by a pattern: "Part #" counts, "##" with two digits. */
export const numberedNames = (pattern: string, count: number): string[] =>
  Array.from({ length: count }, (_, i) => pattern.replace(/#+/g, (marks) => String(i + 1).padStart(marks.length, '0')));

/** What became of a list that was taken in. */
export interface TakenList {
  readonly chapters: readonly ReelChapter[];
  /** What of it could not be used, in words; null where all of it was. */
  readonly remark: string | null;
}

/**
 * Takes a list of chapters in: one with times replaces what was there, one of names alone renames it.
 * @param durationMs length of the reel: what begins after its end is left out and said.
 */
export function applyChapterList(
  chapters: readonly ReelChapter[],
  list: readonly { readonly startMs: number | null; readonly name: string }[],
  durationMs: number,
): TakenList {
  const timed = list.filter((c): c is ReelChapter => c.startMs !== null);
  if (timed.length === 0)
    return {
      chapters: chapters.map((c, i) => ({ ...c, name: list[i]?.name ?? c.name })),
      remark: list.length === chapters.length ? null : `${list.length} names for ${chapters.length} chapters`,
    };
  const inside = timed.filter((c) => c.startMs < durationMs);
  const late = timed.length - inside.length;
  return {
    // A file begins with its first chapter, wherever the list says that one is.
    chapters: inside.map((c, i) => ({ startMs: i === 0 ? 0 : c.startMs, name: c.name || `Chapter ${i + 1}` })),
    remark: late > 0 ? `${late} begin after the end of the reel and were left out` : null,
  };
}
