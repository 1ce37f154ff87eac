import { seeded } from '@/test-support/random';
import { ExactStamps, type Splits } from './exact-stamps';

const FRAME = 27_000_000 / 100;
const STAMP = 300;
const PACKET = 27_000_000 / 200;

/** Gaps of stamps as they come, each confirmed by the next. @returns where a loss was told, and how much. */
function told(stamps: readonly number[], splits: Splits): { at: number; lost: number }[] {
  const exact = new ExactStamps();
  const found: { at: number; lost: number }[] = [];
  let moved = 0;
  stamps.forEach((stamp, i) => {
    const next = stamps[i + 1];
    const lost = exact.lost(stamp - moved, FRAME, splits, () => (next === undefined ? null : next - moved));
    if (lost !== 'wait' && lost > 0) {
      exact.pass({ ticks: i, lostTicks: lost });
      moved += lost;
    }
    const jump = exact.told();
    if (jump) found.push({ at: jump.ticks, lost: jump.lostTicks });
  });
  return found;
}

const round = (random: ReturnType<typeof seeded>) => random.int(3) * STAMP - STAMP;

test('a packet that is gone is told where it was, whatever constant the stamps stand beside; rounding never is', () => {
  for (let seed = 1; seed <= 500; seed++) {
    const random = seeded(seed);
    const splits = random.pick([false, 'by packets', 'by pointers'] as const);
    const offset = splits ? random.int(100_000) : 0;
    const lost = splits === 'by pointers' ? 20_000 + random.int(500_000) : splits ? (1 + random.int(4)) * PACKET : FRAME;
    const at = splits === 'by pointers' ? 12 + random.int(20) : 2 + random.int(30);
    const stamps = Array.from({ length: 60 }, (_, i) => offset + (i >= at ? lost : 0) + (i % 7 === 0 ? 0 : round(random) / 2));
    const found = told(stamps, splits);
    expect({ seed, at: found.map((f) => f.at) }).toEqual({ seed, at: [at] });
    expect(Math.abs((found[0]?.lost ?? 0) - lost)).toBeLessThanOrEqual(2 * STAMP);
    expect(
      told(
        stamps.map((s, i) => (i >= at ? s - lost : s)),
        splits,
      ),
    ).toEqual([]);
  }
});

test('stamps that swing, and one alone that is wrong, are no loss', () => {
  for (let seed = 1; seed <= 200; seed++) {
    const random = seeded(seed);
    const swinging = Array.from({ length: 60 }, () => random.int(400_000) - 200_000);
    expect({ seed, found: told(swinging, 'by pointers') }).toEqual({ seed, found: [] });
    const alone = Array.from({ length: 60 }, (_, i) => (i === 30 ? FRAME : 0));
    expect(told(alone, random.pick([false, 'by packets', 'by pointers'] as const))).toEqual([]);
  }
});
