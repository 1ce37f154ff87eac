import { randomDisc, randomPiece, randomRules } from '@/test-support/random-discs';
import { seeded, type Random } from '@/test-support/random';
import { compareTitles, findRoles, layoutMap } from '../findings';
import type { Title } from '../reading';
import {
  DEFAULT_RULES,
  NO_TAGS,
  absencesOf,
  applyRules,
  besideFiles,
  choiceFrom,
  coverageOf,
  divideAt,
  divideAtMarks,
  divideByChapters,
  dividingChapters,
  estimateReel,
  mergeReels,
  pieceMs,
  plannedChapters,
  reelMs,
  ruleThatDecides,
  takenOnLane,
  takenStretches,
  wholeTitleReel,
  withTracksLike,
  type Reel,
} from '.';

/** What must hold for every disc, every set of rules and every reel. A failure names its seed. */

const SEEDS = Array.from({ length: 150 }, (_, i) => i + 1);
function forAll(count: number, check: (random: Random, seed: number) => void): void {
  for (const seed of SEEDS.slice(0, count)) {
    try {
      check(seeded(seed * 7919), seed);
    } catch (error) {
      throw new Error(`seed ${seed}: ${error instanceof Error ? error.message : String(error)}`, { cause: error });
    }
  }
}
const segmentsOf = (reading: ReturnType<typeof randomDisc>) => new Map(reading.segments.map((s) => [s.id, s]));

describe('house rules', () => {
  test('a reel takes just the tracks that its decisions say, the preferred languages first, one of them the default', () => {
    forAll(150, (random) => {
      const [reading, rules] = [randomDisc(random), randomRules(random)];
      const { reels, decisions } = applyRules(reading, findRoles(reading), rules);
      expect(reels.map((r) => r.pieces[0]?.title).sort()).toEqual(
        decisions
          .filter((d) => d.taken)
          .map((d) => d.title)
          .sort(),
      );
      for (const reel of reels) {
        const decision = decisions.find((d) => d.title === reel.pieces[0]?.title);
        for (const kind of ['audio', 'subtitles'] as const) {
          const said = decision?.tracks.filter((t) => t.kind === kind && t.taken).map((t) => t.stream) ?? [];
          expect(reel[kind].map((t) => t.stream).sort()).toEqual([...said].sort());
        }
        expect(reel.audio.filter((t) => t.isDefault).length).toBe(Math.min(1, reel.audio.length));
        expect(reel.recipes).toEqual(rules.recipes);
        const place = (language: string | null) => {
          const at = rules.languages.indexOf(language ?? '');
          return at < 0 ? rules.languages.length : at;
        };
        const plain = reel.subtitles.map((t) => place(t.language));
        expect(plain).toEqual([...plain].sort((a, b) => a - b));
      }
    });
  });

  test('a rule made of an overruling decides as the user did', () => {
    let made = 0;
    forAll(150, (random) => {
      const [reading, rules] = [randomDisc(random, 4), randomRules(random)];
      const findings = findRoles(reading);
      for (const decision of applyRules(reading, findings, rules).decisions) {
        for (const track of decision.tracks) {
          const wanted = { title: decision.title, kind: track.kind, stream: track.stream, taken: !track.taken };
          const next = ruleThatDecides(reading, findings, rules, wanted);
          if (!next) continue;
          made++;
          const again = applyRules(reading, findings, next).decisions.find((d) => d.title === decision.title);
          expect(again?.tracks.find((t) => t.kind === track.kind && t.stream === track.stream)?.taken).toBe(!track.taken);
        }
      }
    });
    expect(made).toBeGreaterThan(100);
  });

  test('what is kept for a set comes back on the same disc as it was kept', () => {
    forAll(100, (random) => {
      const [reading, rules] = [randomDisc(random, 3), randomRules(random)];
      const findings = findRoles(reading);
      const set = { series: 'Tides', season: null, firstEpisode: 1 };
      const [first] = applyRules(reading, findings, { ...rules, quality: 'all' }, NO_TAGS, set).reels;
      const title = reading.titles.find((t) => t.number === first?.pieces[0]?.title);
      const role = findings.titles.find((f) => f.title === title?.number)?.role;
      if (!first || !title || !role) return;
      // Tracks that nothing tells apart can not be told apart again: one of each is kept.
      const alone = <T extends { stream: number }>(list: readonly T[], of: (stream: number) => string) =>
        list.filter((t, i) => list.findIndex((o) => of(o.stream) === of(t.stream)) === i && random.int(3) > 0);
      const of = (tracks: Title['audio'] | Title['subtitles']) => (stream: number) => {
        const t = tracks.find((o) => o.stream === stream);
        return `${t?.language} ${t?.purpose}`;
      };
      const reel: Reel = { ...first, audio: alone(first.audio, of(title.audio)), subtitles: alone(first.subtitles, of(title.subtitles)) };
      if (reel.audio.length === 0) return;
      const choice = choiceFrom('Tides', role, title, reel);
      const again = applyRules(reading, findings, { ...rules, sets: [choice] }, NO_TAGS, set).reels.find(
        (r) => r.pieces[0]?.title === title.number,
      );
      if (!again) return; // other rules leave the title out
      expect(choiceFrom('Tides', role, title, again)).toEqual(choice);
    });
  });
});

describe('dividing and merging', () => {
  test('parts by chapters hold every chapter once and in order, with all of the playing time', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 1);
      const [title] = reading.titles;
      if (!title) return;
      const reel = { ...wholeTitleReel(title, 'x'), chapterNames: title.chapters.map((c) => `name ${c.number}`) };
      const [piece] = reel.pieces;
      const before = piece ? dividingChapters(title, piece).filter(() => random.int(2) === 1) : [];
      const parts = divideByChapters(title, reel, before);
      expect(parts).toHaveLength(before.length + 1);
      const chapters = parts.flatMap((p) =>
        p.pieces.flatMap((q) => Array.from({ length: q.toChapter - q.fromChapter + 1 }, (_, i) => q.fromChapter + i)),
      );
      expect(chapters).toEqual(
        Array.from({ length: (piece?.toChapter ?? 0) - (piece?.fromChapter ?? 1) + 1 }, (_, i) => (piece?.fromChapter ?? 1) + i),
      );
      expect(parts.reduce((sum, p) => sum + reelMs(reading.titles, p.pieces), 0)).toBeCloseTo(reelMs(reading.titles, reel.pieces), 3);
      // Merged again, the chapters stand where they stood.
      const merged = parts.reduce((into, p) => mergeReels(into, p));
      expect(plannedChapters(reading.titles, merged.pieces)).toEqual(plannedChapters(reading.titles, reel.pieces));
    });
  });

  test('parts by moments follow each other without a gap or an overlap', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 1);
      const [title] = reading.titles;
      if (!title || title.state !== 'usable') return;
      const reel = wholeTitleReel(title, 'x');
      const moments = Array.from({ length: random.int(6) }, () => random.int(title.durationMs + 5000));
      const parts = divideAt(title, reel, moments);
      const ranges = parts.map((p) => p.pieces[0]?.range ?? { fromMs: 0, toMs: title.durationMs });
      expect(ranges[0]?.fromMs).toBe(0);
      expect(ranges.at(-1)?.toMs).toBe(title.durationMs);
      ranges.slice(1).forEach((r, i) => {
        expect(r.fromMs).toBe(ranges[i]?.toMs);
      });
      expect(new Set(parts.map((p) => p.name)).size).toBe(parts.length);
    });
  });

  test('chapters and moments together: every mark begins a part, and nothing is lost between them', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 1);
      const [title] = reading.titles;
      if (!title || title.state !== 'usable') return;
      const reel = wholeTitleReel(title, 'x');
      const before = title.chapters.slice(1).flatMap((c) => (random.int(2) === 1 ? [c.number] : []));
      const moments = Array.from({ length: 1 + random.int(3) }, () => 1 + random.int(title.durationMs - 1));
      const starts = [0, ...title.chapters.filter((c) => before.includes(c.number)).map((c) => c.startMs), ...moments];
      const parts = divideAtMarks(title, reel, before, moments);
      expect(parts.map((p) => p.pieces[0]?.range?.fromMs)).toEqual([...new Set(starts)].sort((a, b) => a - b));
      expect(parts.reduce((sum, p) => sum + reelMs(reading.titles, p.pieces), 0)).toBeCloseTo(title.durationMs, 3);
    });
  });

  test('what is missing where lies inside the reel, and the first title misses nothing', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 4);
      const [first, ...others] = reading.titles;
      if (!first) return;
      const reel = others.reduce((into, t) => mergeReels(into, wholeTitleReel(t, 'x')), wholeTitleReel(first, 'x'));
      const total = reelMs(reading.titles, reel.pieces);
      for (const a of absencesOf(reading, reel)) {
        expect(a.piece).toBeGreaterThan(0);
        expect(a.fromMs).toBeGreaterThanOrEqual(0);
        expect(a.toMs).toBeLessThanOrEqual(total + 1);
        expect(a.track).toBeLessThan(reel[a.kind].length);
      }
    });
  });

  test('tracks taken over from another reel are tracks that the title has, none twice', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 4);
      const [from, to] = [random.pick(reading.titles), random.pick(reading.titles)];
      const like = withTracksLike(reading, wholeTitleReel(to, 'to'), wholeTitleReel(from, 'from'));
      for (const kind of ['audio', 'subtitles'] as const) {
        const streams = like[kind].map((t) => t.stream);
        expect(new Set(streams).size).toBe(streams.length);
        expect(streams.every((s) => to[kind].some((t) => t.stream === s))).toBe(true);
      }
    });
  });

  test('files beside a result never have the same name, whatever the tracks are', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 1);
      const [title] = reading.titles;
      if (!title) return;
      const cue = { startMs: 0, endMs: 1, text: 'x' };
      const added = Array.from({ length: random.int(4) }, () => ({
        ...{
          name: '',
          language: random.pick(['en', null, '../x']),
          header: '',
          offsetMs: 0,
          isDefault: false,
          isForced: random.int(2) === 1,
        },
        ...{ format: random.pick(['SubRip', 'WebVTT', 'ASS'] as const), cues: [cue] },
      }));
      const endings = besideFiles({ ...wholeTitleReel(title, 'x'), added, subtitleFiles: true }).map((f) => f.ending);
      expect(endings).toHaveLength(title.subtitles.length + added.length);
      expect(new Set(endings).size).toBe(endings.length);
      for (const ending of endings) expect(ending).toMatch(/^(\.[A-Za-z0-9-]+){2,4}$/);
    });
  });
});

describe('coverage and the map', () => {
  test('every stretch counts once, and ranges count for what they are', () => {
    forAll(150, (random) => {
      const reading = randomDisc(random);
      const some = () => Array.from({ length: random.int(4) }, () => randomPiece(random.pick(reading.titles), random));
      const [kept, planned] = [some(), some()];
      const all = coverageOf(reading, kept, planned);
      for (const unit of ['ms', 'bytes'] as const) {
        expect(all.kept[unit] + all.planned[unit] + all.open[unit] + all.unusable[unit] + all.unexplained[unit]).toBe(all.total[unit]);
        for (const kind of ['kept', 'planned', 'open', 'unusable'] as const) expect(all[kind][unit]).toBeGreaterThanOrEqual(0);
      }
      // No more is kept than the pieces are long; what is taken twice counts once.
      const length = kept.reduce((sum, p) => sum + pieceMs(reading.titles[p.title - 1] as Title, p), 0);
      expect(all.kept.ms).toBeLessThanOrEqual(length + reading.segments.length);
      expect(coverageOf(reading, [...kept, ...kept], planned)).toEqual(all);
      expect(coverageOf(reading, kept, [...planned, ...kept])).toEqual(all);
    });
  });

  test('one range covers just its length', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random, 1);
      const [title] = reading.titles;
      if (!title || new Set(title.parts.map((p) => p.segment)).size < title.parts.length) return;
      const piece = randomPiece(title, random);
      const found = coverageOf(reading, [], [piece]);
      expect(Math.abs(found.planned.ms - pieceMs(title, piece))).toBeLessThanOrEqual(title.parts.length);
    });
  });

  test('what a piece takes of segments adds up to its length, and its places on the map to that share of the axis', () => {
    forAll(150, (random) => {
      const reading = randomDisc(random, 3);
      const title = random.pick(reading.titles);
      const piece = randomPiece(title, random);
      const segments = segmentsOf(reading);
      const stretches = takenStretches(title, piece, segments);
      const ms = stretches.reduce((sum, s) => sum + s.segment.durationMs * (s.to - s.from), 0);
      expect(Math.abs(ms - pieceMs(title, piece))).toBeLessThan(1);
      const map = layoutMap(reading, findRoles(reading), 'time');
      const lane = map.lanes.find((l) => l.title === title.number);
      if (!lane) throw new Error('no lane');
      const places = takenOnLane(title, [piece], segments, lane);
      const share = places.reduce((sum, p) => sum + p.to - p.from, 0);
      expect(share * map.axisLength).toBeCloseTo(ms, 0);
    });
  });

  test('lanes lie on the axis, in both views; the same material has the same place and identity in every lane', () => {
    forAll(100, (random) => {
      const reading = randomDisc(random);
      for (const axis of ['place', 'time'] as const) {
        const map = layoutMap(reading, findRoles(reading), axis);
        const at = new Map<string, string>();
        for (const lane of map.lanes) {
          for (const block of lane.blocks) {
            expect(block.from).toBeGreaterThanOrEqual(-1e-9);
            expect(block.to).toBeLessThanOrEqual(1 + 1e-9);
            expect(block.to).toBeGreaterThan(block.from);
            for (const id of block.segments) {
              const known = at.get(id);
              if (known !== undefined) expect(String(block.content)).toBe(known);
              at.set(id, String(block.content));
            }
          }
          for (const tick of lane.ticks) expect(tick).toBeLessThanOrEqual(1 + 1e-9);
          expect(lane.parts).toHaveLength(reading.titles[lane.title - 1]?.parts.length ?? -1);
        }
      }
    });
  });
});

describe('comparing titles', () => {
  test('what is shared and what differs adds up on both sides, and the other way round it is the same', () => {
    forAll(150, (random) => {
      const reading = randomDisc(random, 4);
      const [a, b] = [random.pick(reading.titles), random.pick(reading.titles)];
      const segments = segmentsOf(reading);
      const found = compareTitles(a, b, segments);
      const [left, right] = [found.differences.reduce((s, d) => s + d.ms, 0), found.differences.reduce((s, d) => s + d.otherMs, 0)];
      expect(found.sharedMs + left).toBe(a.durationMs);
      expect(found.sharedMs + right).toBe(b.durationMs);
      expect(compareTitles(b, a, segments).sharedMs).toBe(found.sharedMs);
      if (a === b) expect(found.differences).toEqual([]);
    });
  });
});

test('an estimate grows with what is taken, and a piece never costs more than its title', () => {
  forAll(100, (random) => {
    const reading = randomDisc(random, 3);
    const title = random.pick(reading.titles);
    const whole = {
      ...wholeTitleReel(title, 'x'),
      pieces: [{ title: title.number, angle: 1, fromChapter: 1, toChapter: title.chapters.length }],
    };
    const part = { ...whole, pieces: [randomPiece(title, random)] };
    const [all, some] = [estimateReel(reading, whole), estimateReel(reading, part)];
    expect(some.masterBytes).toBeLessThanOrEqual(all.masterBytes * 1.001 + 1);
    expect(some.durationMs).toBeLessThanOrEqual(all.durationMs + 1);
    const fewer = { ...whole, audio: whole.audio.slice(1) };
    expect(estimateReel(reading, fewer).masterBytes).toBeLessThanOrEqual(all.masterBytes);
    const sound = {
      ...{ source: { root: 'r', path: 'p', sizeBytes: 5e6, fingerprint: '', stream: 0 }, codec: 'FLAC' as const, channels: 2 },
      ...{ sampleRateHz: 48000, bitDepth: 24, durationMs: all.durationMs, name: '', language: null, offsetMs: 0 },
      ...{ isDefault: false, isCommentary: false, isVisuallyImpaired: false },
    };
    expect(estimateReel(reading, { ...whole, addedAudio: [sound] }).masterBytes - all.masterBytes).toBe(5e6);
  });
  expect(DEFAULT_RULES.sets).toEqual([]);
});
