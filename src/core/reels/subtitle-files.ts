import type { AddedSubtitle, Cue } from './model';
import { readStamp } from './chapter-lists';

/** Subtitle files of the open text formats, read into cues. */

const MOST_TEXT = 8 * 1024 * 1024;
const MOST_CUES = 50_000;

/** What is wrong with a subtitle file. */
export class SubtitleFileError extends Error {
  override readonly name = 'SubtitleFileError';
}

type Parsed = Pick<AddedSubtitle, 'format' | 'header' | 'cues'>;

/**
 * Reads SubRip, WebVTT or ASS, told by what stands in it.
 * @throws SubtitleFileError where it is none of them, or has no line in it.
 */
export function readSubtitleFile(text: string): Parsed {
  if (text.length > MOST_TEXT) throw new SubtitleFileError('This is far larger than any subtitle file');
  const plain = text.replace(/^\uFEFF/, '').replace(/\r\n?/g, '\n');
  const parsed = /^WEBVTT(\s|$)/.test(plain) ? readWebVtt(plain) : /^\s*\[Script Info\]/i.test(plain) ? readAss(plain) : readSubRip(plain);
  if (parsed.cues.length === 0) throw new SubtitleFileError('No subtitle was found in it: it is neither SubRip, WebVTT nor ASS');
  if (parsed.cues.length > MOST_CUES) throw new SubtitleFileError(`There are more than ${MOST_CUES} subtitles in it`);
  return { ...parsed, cues: [...parsed.cues].sort((a, b) => a.startMs - b.startMs) };
}

const TIMES = /^\s*(\d[\d:.,]*)\s+-->\s+(\d[\d:.,]*)/;

/** Blocks of a time line and the lines below it, up to an empty one. */
function readBlocks(lines: readonly string[]): { cue: Cue; firstLine: number }[] {
  const found: { cue: Cue; firstLine: number }[] = [];
  for (let i = 0; i < lines.length; i++) {
    const times = TIMES.exec(lines[i] ?? '');
    if (!times) continue;
    const [startMs, endMs] = [readStamp(times[1] ?? ''), readStamp(times[2] ?? '')];
    const firstLine = i;
    const words: string[] = [];
    while (i + 1 < lines.length && (lines[i + 1] ?? '').trim() !== '') words.push(lines[++i] ?? '');
    if (startMs !== null && endMs !== null && endMs > startMs && words.length > 0)
      found.push({ cue: { startMs, endMs, text: words.join('\n') }, firstLine });
  }
  return found;
}

const readSubRip = (text: string): Parsed => ({ format: 'SubRip', header: '', cues: readBlocks(text.split('\n')).map(({ cue }) => cue) });

function readWebVtt(text: string): Parsed {
  const lines = text.split('\n');
  const blocks = readBlocks(lines);
  // Styles and regions stand before the first cue; its identifier, where it has one, does not belong to them.
  let end = blocks[0]?.firstLine ?? 0;
  if (end > 0 && (lines[end - 1] ?? '').trim() !== '') end--;
  return { format: 'WebVTT', header: lines.slice(0, end).join('\n').trim(), cues: blocks.map(({ cue }) => cue) };
}

const ASS_FORMAT = 'Format: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text';

/** Lines of the events section become cues in the shape that Matroska keeps: order number first, times left out. */
function readAss(text: string): Parsed {
  const lines = text.split('\n');
  const cues: Cue[] = [];
  const head: string[] = [];
  let fields: string[] = [];
  let inEvents = false;
  for (const line of lines) {
    if (/^\s*\[/.test(line)) inEvents = /^\s*\[Events\]/i.test(line);
    const dialogue = /^Dialogue:\s*(.*)$/.exec(line);
    const format = inEvents ? /^Format:\s*(.*)$/.exec(line) : null;
    if (format) fields = (format[1] ?? '').split(',').map((f) => f.trim().toLowerCase());
    if (!inEvents || !dialogue) {
      // Cues are kept with their fields in the usual order: the head must say so, whatever the file's own order was.
      if (!/^Comment:/.test(line)) head.push(format ? ASS_FORMAT : line);
      continue;
    }
    const names =
      fields.length > 0 ? fields : ['layer', 'start', 'end', 'style', 'name', 'marginl', 'marginr', 'marginv', 'effect', 'text'];
    const values = splitFields(dialogue[1] ?? '', names.length);
    const value = (name: string) => values[names.indexOf(name)] ?? '';
    const [startMs, endMs] = [readStamp(value('start')), readStamp(value('end'))];
    if (startMs === null || endMs === null || endMs <= startMs) continue;
    const kept = ['layer', 'style', 'name', 'marginl', 'marginr', 'marginv', 'effect', 'text'].map(
      (name) => value(name) || (name === 'layer' ? '0' : ''),
    );
    cues.push({ startMs, endMs, text: [String(cues.length), ...kept].join(',') });
  }
  return { format: 'ASS', header: head.join('\n').trim(), cues };
}

/** The last field is text and may hold commas. */
function splitFields(text: string, count: number): string[] {
  const parts = text.split(',');
  return [...parts.slice(0, count - 1).map((p) => p.trim()), parts.slice(count - 1).join(',')];
}

/** A time as a subtitle file writes it: hours at the least so wide, and a fraction of so many digits behind a separator. */
function written(ms: number, hourDigits: number, separator: string, digits: number): string {
  const units = Math.round(Math.max(0, ms) / 10 ** (3 - digits));
  const perSecond = 10 ** digits;
  const seconds = Math.floor(units / perSecond);
  const two = (n: number) => String(n).padStart(2, '0');
  const fraction = String(units % perSecond).padStart(digits, '0');
  return `${String(Math.floor(seconds / 3600)).padStart(hourDigits, '0')}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${separator}${fraction}`;
}

/** Writes added subtitles as a file of their own format, with their offset applied. What would begin before zero is left out. */
export function writeSubtitleFile(added: AddedSubtitle): string {
  const cues = added.cues
    .map((cue) => ({ ...cue, startMs: cue.startMs + added.offsetMs, endMs: cue.endMs + added.offsetMs }))
    .filter((cue) => cue.startMs >= 0);
  if (added.format === 'ASS') {
    const lines = cues.map(({ startMs, endMs, text }) => {
      const [, layer, ...rest] = text.split(',');
      return `Dialogue: ${layer ?? '0'},${written(startMs, 1, '.', 2)},${written(endMs, 1, '.', 2)},${rest.join(',')}`;
    });
    // Sections may follow the events in the file; the events are written last, where they belong to their own head.
    const [before = '', ...events] = added.header.split(/^(?=\s*\[Events\])/im);
    const after = /^\s*\[(?!Events)/im.exec(events.join(''));
    const others = after ? events.join('').slice(after.index) : '';
    return `${[before.trim(), others.trim(), `[Events]\n${ASS_FORMAT}\n${lines.join('\n')}`].filter((t) => t !== '').join('\n\n')}\n`;
  }
  const isVtt = added.format === 'WebVTT';
  const time = (ms: number) => written(ms, 2, isVtt ? '.' : ',', 3);
  const blocks = cues.map(({ startMs, endMs, text }, i) => `${isVtt ? '' : `${i + 1}\n`}${time(startMs)} --> ${time(endMs)}\n${text}\n`);
  return [...(isVtt ? [`${added.header === '' ? 'WEBVTT' : added.header}\n`] : []), ...blocks].join('\n');
}
