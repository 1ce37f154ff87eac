import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { createHash } from 'node:crypto';
import { temporaryFolder } from '@/test-support/discs';
import { seeded, type Random } from '@/test-support/random';
import { sealOf, sealState } from './seal';

type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

/** Anything that can stand in a sidecar, and what may be put into one by hand. */
function anything(random: Random, depth: number): Json {
  switch (random.int(depth > 0 ? 6 : 4)) {
    case 0:
      return null;
    case 1:
      return random.int(2) === 0;
    case 2:
      return random.int(1e9) / random.pick([1, 10, 1000]);
    case 3:
      return random.pick(['', 'Lamplighters', 'a "quoted" name', 'Skjær på norsk', '\u0000\n', '7', 'null', '{}', '[]']);
    case 4:
      return Array.from({ length: random.int(4) }, () => anything(random, depth - 1));
    default:
      return thing(random, depth - 1);
  }
}
function thing(random: Random, depth: number): { [key: string]: Json } {
  return Object.fromEntries(Array.from({ length: 1 + random.int(5) }, (_, i) => [`key ${i}`, anything(random, depth)]));
}

/** The same content with the keys of every object in another order. */
function shuffled(value: Json): Json {
  if (Array.isArray(value)) return value.map(shuffled);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .reverse()
      .map(([key, v]) => [key, shuffled(v)]),
  );
}

/** One thing somewhere in it is another. */
function edited(value: Json, random: Random): Json {
  if (Array.isArray(value) && value.length > 0) {
    const at = random.int(value.length);
    if (random.int(4) === 0) return value.filter((_, i) => i !== at);
    return value.map((v, i) => (i === at ? edited(v, random) : v));
  }
  if (value !== null && typeof value === 'object' && !Array.isArray(value)) {
    const keys = Object.keys(value);
    const key = keys[random.int(keys.length)];
    if (key === undefined || random.int(4) === 0) return { ...value, more: true };
    return { ...value, [key]: edited(value[key] ?? null, random) };
  }
  return value === null || Array.isArray(value)
    ? 0
    : typeof value === 'number'
      ? value + 1
      : typeof value === 'string'
        ? `${value} `
        : null;
}

const sealedThing = (seed: number) => {
  const content = thing(seeded(seed), 4);
  return { ...content, seal: sealOf(content) };
};

test('holds however the file is laid out: order of keys, spaces, line ends', () => {
  const folder = temporaryFolder();
  for (let seed = 0; seed < 300; seed++) {
    const whole = sealedThing(seed);
    expect([seed, sealState(shuffled(whole))]).toEqual([seed, 'whole']);
    const file = path.join(folder, 'a.json');
    writeFileSync(file, JSON.stringify(whole, null, seed % 5).replaceAll('\n', '\r\n'));
    expect([seed, sealState(JSON.parse(readFileSync(file, 'utf8')))]).toEqual([seed, 'whole']);
  }
});

test('breaks at any edit, anywhere, however small', () => {
  for (let seed = 0; seed < 1000; seed++) {
    const { seal, ...content } = sealedThing(seed);
    const other = edited(content, seeded(seed + 5000)) as Record<string, Json>;
    expect([seed, sealState({ ...other, seal })]).toEqual([seed, 'broken']);
  }
});

test('a digit moved from one place to another does not go unseen: texts are no numbers, lists are no objects', () => {
  const kinds: Json[] = [
    1,
    '1',
    [1],
    ['1'],
    [[1]],
    { 0: 1 },
    { 1: 0 },
    true,
    'true',
    null,
    'null',
    [],
    {},
    '',
    0,
    [null],
    [0, 1],
    [1, 0],
    [10],
  ];
  const seals = kinds.map((value) => sealOf({ value }));
  expect(new Set(seals).size).toBe(kinds.length);
});

test('is SHA-256 over the JSON with its keys in order, as `docs/formats.md` says: anyone can compute it', () => {
  const text = '{"file":{"name":"A.mkv","sizeBytes":3},"version":2}';
  expect(sealOf({ version: 2, seal: 'x', file: { sizeBytes: 3, name: 'A.mkv' } })).toBe(createHash('sha256').update(text).digest('hex'));
});

test.each([[null], ['text'], [7], [[]], [{}], [{ seal: null }], [{ seal: 7 }]])('%j has no seal', (written) => {
  expect(sealState(written)).toBe('none');
});
