import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import path from 'node:path';
import { SOUND_RATE_HZ, SoundComparer, compareSubtitles, type SubtitleEvent, type TrackComparison } from '@/core/findings';
import { HAVEN, QUAY, temporaryFolder, titleOf } from '@/test-support/discs';
import { seeded } from '@/test-support/random';
import { compareTracks } from './compare-tracks';
import { openSource } from './open-source';

/** Tracks whose likeness is known: made by FFmpeg from sounds that have nothing to do with each other. */

const folder = temporaryFolder();
const srt = (name: string, lines: readonly (readonly [number, string])[]) => {
  const stamp = (s: number) => `00:00:${s.toFixed(3).padStart(6, '0').replace('.', ',')}`;
  const file = path.join(folder, name);
  writeFileSync(file, lines.map(([at, text], i) => `${i + 1}\n${stamp(at)} --> ${stamp(at + 1)}\n${text}\n`).join('\n'));
  return file;
};
/** 24 s: two voices that share nothing, and music that both languages would have under them. */
const VOICE = 'anoisesrc=seed=11:amplitude=0.3:color=pink:r=48000:d=24,tremolo=f=0.7';
const OTHER = 'anoisesrc=seed=29:amplitude=0.3:color=pink:r=48000:d=24,tremolo=f=0.4';
const MUSIC = "aevalsrc='0.04*sin(440*t*(1+0.1*sin(t)))+0.03*sin(90*t*t)':s=48000:d=24";
const film = path.join(folder, 'film.mkv');
beforeAll(() => {
  const graph = [
    '[1:a]asplit=4[v1][v2][v3][v4]',
    '[2:a]asplit=2[o1][o2]',
    '[3:a]asplit=2[m1][m2]',
    // The same voice until 12 s, another one from there on.
    "[v1]volume=0:enable='gte(t,12)'[head];[o1]volume=0:enable='lt(t,12)'[tail];[head][tail]amix=inputs=2:normalize=0[changed]",
    // Nothing at first, then the same.
    "[v2]volume=0:enable='lt(t,8)'[late]",
    '[v3][m1]amix=inputs=2:normalize=0[english];[o2][m2]amix=inputs=2:normalize=0[gaelic]',
  ].join(';');
  const args = ['-v', 'error', '-f', 'lavfi', '-i', 'testsrc2=s=160x90:r=25:d=24'];
  for (const source of [VOICE, OTHER, MUSIC]) args.push('-f', 'lavfi', '-i', source);
  const left = [
    [2, 'Good morning'],
    [5, 'The tide is out'],
    [9, 'Cast off'],
    [15, 'Home'],
  ] as const;
  args.push('-i', srt('a.srt', left), '-i', srt('b.srt', [left[0], [5.1, 'Tha an tràigh ann'], [9.7, 'Cast off'], [18, 'Only here']]));
  args.push('-filter_complex', graph, '-map', '0:v', '-map', '[v4]', '-map', '[changed]', '-map', '[late]', '-map', '[english]');
  args.push(
    '-map',
    '[gaelic]',
    '-map',
    '1:a',
    '-map',
    '4',
    '-map',
    '5',
    '-c:v',
    'libx264',
    '-c:a',
    'flac',
    '-c:a:1',
    'ac3',
    '-c:s',
    'srt',
    film,
  );
  const { status, stderr } = spawnSync('ffmpeg', args);
  if (status !== 0) throw new Error(stderr.toString());
});

async function compared(at: string, number: number, kind: 'audio' | 'subtitles', left: number, right: number): Promise<TrackComparison> {
  const source = at.endsWith('.iso') ? 'image' : at.endsWith('.mkv') ? 'file' : 'folder';
  const opened = await openSource({ kind: source, path: at, label: path.basename(at) });
  try {
    const reading = await opened.examine();
    const title = titleOf(reading, number);
    const stream = (place: number) => title[kind][place]?.stream ?? -1;
    const seen: number[] = [];
    const report = { signal: new AbortController().signal, onProgress: (done: number) => seen.push(done) };
    const found = await compareTracks(opened, reading, title, { left: stream(left), right: stream(right) }, report);
    expect(seen.length).toBeGreaterThan(0);
    return found;
  } finally {
    await opened.close();
  }
}
const kinds = (found: TrackComparison) => (found.kind === 'audio' ? found.runs.map((r) => [r.kind, Math.round(r.fromMs / 1000)]) : found);

test.each([
  [
    'one mix in two codecs, until another voice comes',
    1,
    [
      ['same', 0],
      ['other', 12],
    ],
  ],
  [
    'silence on one side, then the same',
    2,
    [
      ['only left', 0],
      ['same', 8],
    ],
  ],
  ['the same bytes', 5, [['same', 0]]],
])('sound: %s', async (_what, right, expected) => {
  const found = await compared(film, 1, 'audio', 0, right);
  expect(kinds(found)).toEqual(expected);
  expect(found).toMatchObject({ identical: right === 5 });
});

test('two languages over the same music are alike, not the same', async () => {
  expect(kinds(await compared(film, 1, 'audio', 3, 4))).toEqual([['alike', 0]]);
});

test('subtitles: other words at the same time, the same a little later, and what has no fellow', async () => {
  expect(await compared(film, 1, 'subtitles', 0, 1)).toEqual({
    kind: 'subtitles',
    left: 4,
    right: 4,
    same: 1,
    sameTime: 2,
    differences: [
      { kind: 'other content', leftMs: 5000, rightMs: 5100, left: 'The tide is out', right: 'Tha an tràigh ann' },
      { kind: 'other time', leftMs: 9000, rightMs: 9700, left: 'Cast off', right: 'Cast off' },
      { kind: 'only left', leftMs: 15000, rightMs: null, left: 'Home', right: null },
      { kind: 'only right', leftMs: null, rightMs: 18000, left: null, right: 'Only here' },
    ],
  });
});

test.each([
  ['DVD', QUAY, 2],
  ['Blu-ray', HAVEN, 1],
])('bitmap subtitles of a %s have as many events as are authored', async (_what, at, title) => {
  const found = await compared(at, title, 'subtitles', 0, 1);
  if (found.kind !== 'subtitles') throw new Error('no subtitles');
  expect(found.left).toBeGreaterThan(1);
  expect(found.sameTime + found.differences.filter((d) => d.kind === 'only left').length).toBeLessThanOrEqual(found.left);
});

test('tracks that there are not, or one track with itself, are refused', async () => {
  for (const [left, right] of [
    [0, 0],
    [0, 99],
  ] as const)
    await expect(compared(film, 1, 'audio', left, right)).rejects.toMatchObject({ code: 'bad-request' });
});

test('sound shifted by some milliseconds is still the same; turned upside down as well', () => {
  const random = seeded(5);
  const noise = Float32Array.from({ length: 12 * SOUND_RATE_HZ }, () => random.int(65_536) / 65_536 - 0.5);
  for (const [shift, sign] of [
    [0, 1],
    [43, 1],
    [-80, -1],
  ] as const) {
    const both = new Int16Array(noise.length * 2);
    noise.forEach((value, i) => {
      both[2 * i] = value * 20_000;
      both[2 * i + 1] = sign * (noise[i + shift] ?? 0) * 12_000;
    });
    const comparer = new SoundComparer();
    // Handed over in uneven pieces, as a pipe does.
    for (let at = 0, size = 2; at < both.length; at += size, size = ((size * 3) % 5000) & ~1 || 2)
      comparer.push(both.subarray(at, at + size));
    expect(comparer.finish(false).runs).toEqual([{ kind: 'same', fromMs: 0, toMs: 12_000 }]);
  }
});

test('no events, or any number of them, are compared without loss: every event is counted once', () => {
  const event = (startMs: number, content: string): SubtitleEvent => ({ startMs, content, text: null });
  expect(compareSubtitles([], [])).toMatchObject({ left: 0, right: 0, same: 0, differences: [] });
  for (let seed = 0; seed < 200; seed++) {
    const random = seeded(seed);
    const list = () =>
      Array.from({ length: random.int(30) }, () => event(random.int(20_000), String(random.int(12)))).sort((a, b) => a.startMs - b.startMs);
    const [left, right] = [list(), list()];
    const found = compareSubtitles(left, right);
    const of = (kind: string) => found.differences.filter((d) => d.kind === kind).length;
    expect(found.sameTime + of('other time') + of('only left')).toBe(left.length);
    expect(found.sameTime + of('other time') + of('only right')).toBe(right.length);
    expect(found.same + of('other content')).toBe(found.sameTime);
  }
});
