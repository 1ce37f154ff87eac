import { seeded } from '@/test-support/random';
import {
  ChapterListError,
  DEFAULT_FILE_NAME,
  NO_TAGS,
  SubtitleFileError,
  chaptersToText,
  chaptersToWebVtt,
  fileNameOf,
  fillParts,
  folderOf,
  literalOf,
  nameValues,
  numberedNames,
  partsOfPattern,
  readChapterList,
  readStamp,
  readSubtitleFile,
  writeSubtitleFile,
  stampOf,
  applyChapterList,
  type NameField,
  type NamePart,
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

test('a list of chapters with times replaces what was there, one of names alone renames it; what is left over is said', () => {
  const before = [
    { startMs: 0, name: 'One' },
    { startMs: 5000, name: 'Two' },
  ];
  expect(applyChapterList(before, readChapterList('Ropes'), 9000)).toEqual({
    chapters: [
      { startMs: 0, name: 'Ropes' },
      { startMs: 5000, name: 'Two' },
    ],
    remark: '1 names for 2 chapters',
  });
  const timed = '0:01 Ropes\n0:03.5 The crane\n0:12 After the end';
  expect(applyChapterList(before, readChapterList(timed), 9000)).toEqual({
    chapters: [
      { startMs: 0, name: 'Ropes' },
      { startMs: 3500, name: 'The crane' },
    ],
    remark: '1 begin after the end of the reel and were left out',
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

describe('names by parts', () => {
  const values = (change = {}) => nameValues({ ...NO_TAGS, work: 'The Long Haul', ...change }, 'reel', 3, 'LONG HAUL');
  const field = (name: NameField, digits = 0): NamePart => ({ kind: 'field', field: name, digits, before: '', after: '' });
  const text = (words: string): NamePart => ({ kind: 'text', text: words });
  test.each([
    [DEFAULT_FILE_NAME, {}, 'The Long Haul'],
    [DEFAULT_FILE_NAME, { year: '1987' }, 'The Long Haul (1987)'],
    [DEFAULT_FILE_NAME, { work: 'Slack Water', series: 'Tide Tables', season: 1, episode: 2 }, 'Tide Tables 01x02 Slack Water'],
    [[field('disc'), text(' t'), field('title', 3)], {}, 'LONG HAUL t003'],
    [[field('year')], {}, 'Untitled'],
    [[text('../'), field('work')], { work: '../../x' }, 'x'],
  ])('%j with %j', (parts, change, expected) => {
    expect(fileNameOf(parts, values(change))).toBe(expected);
  });

  test('a slash makes a folder in a text, never in a field', () => {
    const parts = [field('series'), text('/Season '), field('season')];
    expect(folderOf(parts, values({ series: 'Sea / Shore', season: 2 }))).toBe('Sea - Shore/Season 2');
    expect(fillParts([field('work')], values({ work: '' }))).toBe('reel');
    expect([literalOf([text('a/'), text('b')]), literalOf([text('a'), field('work')])]).toEqual(['a/b', null]);
  });

  /** Names as versions before filled them, from one line. */
  function filledBefore(pattern: string, known: Readonly<Record<string, string>>): string {
    const fill = (part: string) => {
      let isMissing = false;
      const filled = part.replace(/\{(\w+)(?::(\d))?\}/g, (_, name: string, digits: string | undefined) => {
        const value = known[name] ?? '';
        if (value === '') isMissing = true;
        return digits && /^\d+$/.test(value) ? value.padStart(Number(digits), '0') : value;
      });
      return { filled, isMissing };
    };
    const inner = pattern.replace(/\[([^[\]]*)\]/g, (_, part: string) => {
      const { filled, isMissing } = fill(part);
      return isMissing ? '' : filled;
    });
    return fill(inner).filled.replace(/\s+/g, ' ').trim();
  }

  test('names of versions before come to the same by their parts', () => {
    const random = seeded(11);
    const pick = <T>(all: readonly T[]): T => random.pick(all);
    const words = ['', ' ', ' - ', 'x', '/', ' (', ')', 'S', 'director'];
    const aField = () => pick(['{work}', '{year}', '{series}', '{season:2}', '{episode:3}', '{title}', '{disc}', '{director}']);
    const aStretch = () => (random.int(2) === 0 ? `[${pick(words)}${aField()}${pick(words)}]` : pick(words) + aField());
    for (let i = 0; i < 2000; i++) {
      const pattern = Array.from({ length: 1 + random.int(5) }, aStretch).join('');
      const known = values({
        year: pick(['', '1987']),
        series: pick(['', 'Tide Tables']),
        season: pick([null, 4]),
        episode: pick([null, 12]),
      });
      expect({ pattern, name: fillParts(partsOfPattern(pattern), known) }).toEqual({ pattern, name: filledBefore(pattern, known) });
    }
    expect(partsOfPattern('[{series} ][{season:2}x][{episode:2} ]{work}[ ({year})]')).toEqual(DEFAULT_FILE_NAME);
  });
});
