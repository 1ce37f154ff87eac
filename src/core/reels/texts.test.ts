import { seeded } from '@/test-support/random';
import {
  ChapterListError,
  DEFAULT_FILE_PATTERN,
  NO_TAGS,
  SubtitleFileError,
  chaptersToText,
  chaptersToWebVtt,
  fileNameOf,
  fillPattern,
  folderOf,
  numberedNames,
  patternValues,
  readChapterList,
  readStamp,
  readSubtitleFile,
  writeSubtitleFile,
  stampOf,
  unknownFields,
} from '.';

/** Text that goes out to other programs and comes back: chapters, subtitles, names. */

describe('times', () => {
  test.each([
    ['01:02:03.450', 3_723_450],
    ['1:2:3,5', 3_723_500],
    ['02:03.45', 123_450],
    ['123.4', 123_400],
    ['0', 0],
    ['00:00:00.0005', 1],
  ])('%s is %i ms', (text, ms) => {
    expect(readStamp(text)).toBe(ms);
  });
  test.each(['', 'x', '1:2:3:4', '1.2.3', '-1', '1:', ':1'])('%j is no time', (text) => {
    expect(readStamp(text)).toBeNull();
  });
  test('what is written is read again', () => {
    for (let seed = 0; seed < 300; seed++) {
      const ms = seeded(seed).int(20 * 3600 * 1000);
      expect(readStamp(stampOf(ms))).toBe(ms);
    }
  });
});

describe('chapters', () => {
  const list = [
    { startMs: 0, name: 'Casting off & <away>' },
    { startMs: 61_500, name: 'Nets --> out' },
    { startMs: 3_600_000, name: 'Home' },
  ];
  test('lines and WebVTT say the same', () => {
    expect(chaptersToText(list)).toBe('00:00:00.000 Casting off & <away>\n00:01:01.500 Nets --> out\n01:00:00.000 Home\n');
    expect(chaptersToWebVtt(list, 4_000_000)).toContain('WEBVTT\n\n1\n00:00:00.000 --> 00:01:01.500\nCasting off &amp; &lt;away>\n');
    expect(readChapterList(chaptersToText(list))).toEqual(list);
    expect(readChapterList(chaptersToWebVtt(list, 4_000_000))).toEqual(list);
  });
  test('names alone go to the chapters that there are; byte order mark and old line ends do no harm', () => {
    expect(readChapterList('\uFEFFOne\r\n\r\nTwo\rThree')).toEqual(['One', 'Two', 'Three'].map((name) => ({ startMs: null, name })));
    expect(readChapterList('0:00 One\n1:30 - Two')).toEqual([
      { startMs: 0, name: 'One' },
      { startMs: 90_000, name: 'Two' },
    ]);
    expect(readChapterList('1984\n2001')).toEqual([
      { startMs: null, name: '1984' },
      { startMs: null, name: '2001' },
    ]);
  });
  test.each([
    ['0:00 One\nTwo', 2],
    ['WEBVTT\n\n0x:00 --> 00:01.000\nOne', 3],
    ['', 0],
    ['1:00 One\n0:30 Two', 0],
  ])('%j is refused with the line', (text, line) => {
    expect(() => readChapterList(text)).toThrow(ChapterListError);
    expect(() => readChapterList(text)).toThrow(expect.objectContaining({ line }));
  });
  test('numbered by a pattern', () => {
    expect(numberedNames('Reel ## of the tide', 2)).toEqual(['Reel 01 of the tide', 'Reel 02 of the tide']);
  });
});

describe('subtitle files', () => {
  test('SubRip, whatever its line ends; broken entries are passed over', () => {
    const read = readSubtitleFile(
      '1\r\n00:00:02,000 --> 00:00:03,500\r\nLine <i>one</i>\r\nand more\r\n\r\n2\r\n00:00:09,0 --> 00:00:01,0\r\nbackwards\r\n',
    );
    expect(read).toEqual({ format: 'SubRip', header: '', cues: [{ startMs: 2000, endMs: 3500, text: 'Line <i>one</i>\nand more' }] });
  });
  test('WebVTT keeps its styles, not the identifiers of cues', () => {
    const read = readSubtitleFile('WEBVTT\n\nSTYLE\n::cue { color: lime }\n\nfirst\n00:01.000 --> 00:02.000 align:start\nHello');
    expect(read).toEqual({
      format: 'WebVTT',
      header: 'WEBVTT\n\nSTYLE\n::cue { color: lime }',
      cues: [{ startMs: 1000, endMs: 2000, text: 'Hello' }],
    });
  });
  test('ASS events become what the container keeps, commas in the text and all', () => {
    const text =
      '[Script Info]\nTitle: x\n\n[V4+ Styles]\nFormat: Name\nStyle: Default\n\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\nComment: 0,0:00:00.00,0:00:01.00,Default,,0,0,0,,no\nDialogue: 0,0:00:05.50,0:00:06.00,Default,,0,0,0,,{\\i1}Ahoy, there\nDialogue: 1,0:00:01.00,0:00:02.00,Default,,0,0,0,,First\n';
    const read = readSubtitleFile(text);
    expect(read.format).toBe('ASS');
    expect(read.header).toContain('[V4+ Styles]');
    expect(read.header).not.toContain('Dialogue');
    expect(read.cues).toEqual([
      { startMs: 1000, endMs: 2000, text: '1,1,Default,,0,0,0,,First' },
      { startMs: 5500, endMs: 6000, text: '0,0,Default,,0,0,0,,{\\i1}Ahoy, there' },
    ]);
  });
  test.each([
    ['SubRip', '1\n00:00:01,000 --> 00:00:02,345\nHello\n<b>there</b>\n\n2\n01:59:59,999 --> 02:00:01,000\nEnd\n'],
    ['WebVTT', 'WEBVTT\n\nSTYLE\n::cue { color: lime }\n\n00:00:01.000 --> 00:00:02.345\nHello\n\n12:00:00.000 --> 12:00:00.001\nEnd\n'],
    [
      'ASS',
      '[Script Info]\nTitle: x\n\n[V4+ Styles]\nFormat: Name\nStyle: Default\n\n[Events]\nFormat: Layer, Start, End, Style, Name, MarginL, MarginR, MarginV, Effect, Text\nDialogue: 1,0:00:01.00,0:00:02.00,Default,,0,0,0,,First, with commas\nDialogue: 0,0:00:05.50,0:00:06.00,Default,,0,0,0,,{\\i1}Ahoy\n',
    ],
  ])('a %s file is written as it was read; shifted, it comes back shifted', (format, text) => {
    const read = readSubtitleFile(text);
    expect(read.format).toBe(format);
    const own = { name: '', language: null, isDefault: false, isForced: false };
    expect(writeSubtitleFile({ ...read, ...own, offsetMs: 0 })).toBe(text);
    const shifted = readSubtitleFile(writeSubtitleFile({ ...read, ...own, offsetMs: -1500 }));
    expect(shifted.cues.map((c) => c.startMs)).toEqual(read.cues.map((c) => c.startMs - 1500).filter((ms) => ms >= 0));
  });
  test('an ASS file with its fields in another order, and a section behind the events, keeps its meaning', () => {
    const text =
      '[Script Info]\nTitle: x\n[Events]\nFormat: Start, End, Layer, Style, Text\nDialogue: 0:00:01.00,0:00:02.00,3,Low,Ahoy, there\n[Fonts]\nfontname: a.ttf\n';
    const read = readSubtitleFile(text);
    const again = readSubtitleFile(
      writeSubtitleFile({ ...read, name: '', language: null, isDefault: false, isForced: false, offsetMs: 0 }),
    );
    expect(again.cues).toEqual([{ startMs: 1000, endMs: 2000, text: '0,3,Low,,,,,,Ahoy, there' }]);
    expect(again.header).toContain('[Fonts]\nfontname: a.ttf');
  });
  test('anything else is refused, and no text at all brings it down', () => {
    expect(() => readSubtitleFile('Dear diary')).toThrow(SubtitleFileError);
    for (let seed = 0; seed < 300; seed++) {
      const random = seeded(seed);
      const pieces = [
        'WEBVTT',
        '[Script Info]',
        '[Events]',
        'Dialogue: ',
        '00:00:01,000',
        ' --> ',
        '\n',
        ',',
        '1',
        'Format: a,b',
        '\u0000',
      ];
      const text = Array.from({ length: random.int(60) }, () => random.pick(pieces)).join('');
      try {
        expect(readSubtitleFile(text).cues.length).toBeGreaterThan(0);
      } catch (error) {
        expect(error).toBeInstanceOf(SubtitleFileError);
      }
    }
  });
});

describe('names by a pattern', () => {
  const values = (change = {}) => patternValues({ ...NO_TAGS, work: 'The Long Haul', ...change }, 'reel', 3, 'LONG HAUL');
  test.each([
    [DEFAULT_FILE_PATTERN, {}, 'The Long Haul'],
    [DEFAULT_FILE_PATTERN, { year: '1987' }, 'The Long Haul (1987)'],
    [DEFAULT_FILE_PATTERN, { work: 'Slack Water', series: 'Tide Tables', season: 1, episode: 2 }, 'Tide Tables 01x02 Slack Water'],
    ['{disc} t{title:3}', {}, 'LONG HAUL t003'],
    ['{nothing}', {}, 'Untitled'],
    ['../{work}', { work: '../../x' }, 'x'],
  ])('%s', (pattern, change, expected) => {
    expect(fileNameOf(pattern, values(change))).toBe(expected);
  });
  test('a slash makes a folder in the pattern, never in a name', () => {
    expect(folderOf('{series}/Season {season}', values({ series: 'Sea / Shore', season: 2 }))).toBe('Sea - Shore/Season 2');
    expect(folderOf('[{series}/]{year}', values({ year: '1987' }))).toBe('1987');
    expect(fillPattern('{work}', values({ work: '' }))).toBe('reel');
  });
  test('fields that there are not are found', () => {
    expect(unknownFields('{work} {director} {year:4} {Title}')).toEqual(['director', 'Title']);
  });
});
