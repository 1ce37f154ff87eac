import { findRoles } from '@/core/findings';
import { offers, plays, sketchReading } from '@/test-support/readings';
import { bytes, clock, languageName, list, moment, numbers, timeLeft } from './format';
import { discSentence, evidenceText, remarkText, roleOf } from './words';

test.each([
  [0, '0:00'],
  [999, '0:01'],
  [65_000, '1:05'],
  [5_524_000, '1:32:04'],
  [-5, '0:00'],
])('%i ms reads %s', (ms, text) => {
  expect(clock(ms)).toBe(text);
});
test.each([
  [0, '0 B'],
  [999, '999 B'],
  [1500, '1.50 kB'],
  [121_000_000, '121 MB'],
  [4_510_000_000, '4.51 GB'],
  [2.1e12, '2.10 TB'],
])('%i bytes read %s', (n, text) => {
  expect(bytes(n)).toBe(text);
});
test.each([
  [0.2, '1 s'],
  [40, '40 s'],
  [100, '2 min'],
  [9000, '2.5 h'],
  [Infinity, ''],
])('%d s left read %j', (s, text) => {
  expect(timeLeft(s)).toBe(text);
});
test('a moment is as short as it stays plain', () => {
  const now = new Date(2026, 10, 25, 12, 0);
  expect(moment(new Date(2026, 10, 25, 4, 6).toISOString(), now)).toBe('04:06');
  expect(moment(new Date(2026, 10, 24, 4, 6).toISOString(), now)).toBe('24 Nov, 04:06');
});
test('lists and runs of numbers', () => {
  expect([list([]), list([1]), list([1, 2]), list(['a', 'b', 'c'])]).toEqual(['', '1', '1 and 2', 'a, b and c']);
  expect([numbers([5, 3, 4, 9]), numbers([1, 2]), numbers([7])]).toEqual(['3–5 and 9', '1 and 2', '7']);
});
test('languages have names; what is no language stays as it is', () => {
  expect([languageName('en'), languageName('gd'), languageName(null), languageName('x!'), languageName('qqx')]).toEqual([
    'English',
    'Scottish Gaelic',
    'not said',
    'x!',
    'qqx',
  ]);
});

const series = sketchReading(
  [{ parts: ['a:20', 'b:20'] }, { parts: ['a:20'] }, { parts: ['b:20'] }, { parts: ['a:20'] }, { parts: ['c:30'], state: 'scrambled' }],
  [offers(1)],
);

test('a disc in one sentence', () => {
  const say = (reading: typeof series) => discSentence(reading, findRoles(reading));
  expect(say(series)).toBe('2 episodes, a play-all that repeats them, 1 duplicate and 1 title that can not be taken.');
  expect(say(sketchReading([{ parts: ['a:90'] }], [plays(1)]))).toBe('One film of 1:30:00.');
  expect(say(sketchReading([{ parts: ['a:90'], state: 'scrambled' }]))).toBe('Nothing on this disc can be taken.');
  expect(say(sketchReading([{ parts: ['a:90'], state: 'scrambled' }, { parts: ['b:5'] }]))).toBe(
    'The main title is copy protected; there is 1 extra.',
  );
  expect(say(sketchReading([]))).toBe('No title could be read.');
  const stretch = { id: 'l', content: 'VTS_01', firstSector: 0, lastSector: 99, discSector: 0, durationMs: null, chain: null };
  expect(say(sketchReading([{ parts: ['a:90'] }], [plays(1)], { loose: [stretch] }))).toBe(
    'One film of 1:30:00 and 1 stretch that nothing leads to.',
  );
});

test('every role and every piece of evidence has words of its own', () => {
  const { titles } = findRoles(series);
  expect(titles.map(roleOf)).toEqual(['play-all of 2 and 3', 'episode 1', 'episode 2', 'same as 2', 'copy protected']);
  const texts = titles.flatMap((t) => t.evidence.map(evidenceText));
  expect(texts).toContain('titles 2 and 3 one after the other fill 100 % of it');
  for (const text of texts) expect(text).not.toMatch(/undefined|null|NaN/);
  for (const code of [
    'backup-used',
    'backup-differs',
    'structure-lost',
    'table-damaged',
    'image-cut-short',
    'beyond-end',
    'scrambled',
    'stream-differs',
    'no-titles',
  ] as const) {
    expect(remarkText({ code, severity: 'fault', title: 2, detail: '' })).toMatch(/\.$/);
  }
});
