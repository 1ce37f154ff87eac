import type { AudioTrack, Reading, SubtitleTrack, Title } from '@/core/reading';
import type { HouseRules, Piece } from '@/core/reels';
import { DEFAULT_RULES } from '@/core/reels';
import type { Random } from './random';
import { audioTrack, sketchReading, subtitleTrack } from './readings';

/** Discs and rules of every shape there can be, for tests of what must hold for all of them. */

const LANGUAGES = ['en', 'gd', 'de', 'nb', null] as const;

export function randomTracks(random: Random): { audio: AudioTrack[]; subtitles: SubtitleTrack[] } {
  const audio = Array.from({ length: random.int(7) }, (_, i) =>
    audioTrack({
      stream: 0x80 + i,
      language: random.pick(LANGUAGES),
      codec: random.pick(['AC-3', 'AC-3', 'LPCM', 'DTS', 'TrueHD', 'unknown'] as const),
      channels: random.pick([1, 2, 6, 8]),
      bitDepth: random.pick([null, 16, 24]),
      bitRate: 1000 * random.int(20),
      purpose: random.pick([null, 'normal', 'normal', 'commentary', 'visually impaired'] as const),
    }),
  );
  const subtitles = Array.from({ length: random.int(6) }, (_, i) =>
    subtitleTrack({
      stream: 0x20 + i,
      language: random.pick(LANGUAGES),
      purpose: random.pick([null, 'normal', 'captions', 'forced', 'commentary'] as const),
    }),
  );
  return { audio, subtitles };
}

/** Titles of shared and own material, some of which can not be taken, with tracks of every kind. */
export function randomDisc(random: Random, most = 8): Reading {
  const names = 'abcdefghij'.split('').map((name) => `${name}:${1 + random.int(30)}`);
  const sketches = Array.from({ length: 1 + random.int(most) }, () => ({
    parts: Array.from({ length: 1 + random.int(6) }, () => random.pick(names)),
    state: random.pick(['usable', 'usable', 'usable', 'usable', 'damaged', 'scrambled'] as const),
  }));
  const reading = sketchReading(sketches);
  return { ...reading, titles: reading.titles.map((t): Title => ({ ...t, ...randomTracks(random) })) };
}

export function randomRules(random: Random): HouseRules {
  const some = <T>(list: readonly T[]) => list.filter(() => random.int(2) === 1);
  return {
    ...DEFAULT_RULES,
    languages: some(['gd', 'en', 'nb']),
    audio: random.pick(['all', 'preferred'] as const),
    quality: random.pick(['all', 'best', 'best and compatible'] as const),
    commentary: random.int(2) === 1,
    description: random.int(2) === 1,
    subtitles: random.pick(['all', 'preferred', 'none'] as const),
    hearingImpaired: random.int(2) === 1,
    extras: random.int(2) === 1,
    shortestExtraMs: random.int(3) * 120_000,
    series: random.pick(['episodes', 'play-all', 'both'] as const),
    cuts: random.int(2) === 1,
    recipes: random.pick([['master'], ['access'], ['master', 'access']] as const),
    subtitleFiles: random.int(2) === 1,
  };
}

/** A piece of a title: all of it, some chapters, or a range. */
export function randomPiece(title: Title, random: Random): Piece {
  const fromChapter = 1 + random.int(title.chapters.length);
  const toChapter = fromChapter + random.int(title.chapters.length - fromChapter + 1);
  const piece = { title: title.number, angle: 1, fromChapter, toChapter };
  if (random.int(3) > 0) return piece;
  const fromMs = random.int(title.durationMs);
  return { ...piece, fromChapter: 1, toChapter: title.chapters.length, range: { fromMs, toMs: fromMs + 1 + random.int(title.durationMs) } };
}
