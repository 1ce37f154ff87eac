import { seeded } from '@/test-support/random';
import { FAULT_WEIGHTS, MOST_STRETCHES, damageOf, faultText, wholenessText, type Fault, type FaultKind } from '.';

const fault = (change: Partial<Fault> = {}): Fault => ({
  kind: 'gap',
  track: 0,
  atMs: 3_730_400,
  ms: 5500,
  content: 'VTS_01',
  firstSector: 4549,
  lastSector: 4987,
  count: 1,
  ...change,
});
const KINDS = Object.keys(FAULT_WEIGHTS) as FaultKind[];

test('a fault says what, where in the film, how long, and where on the disc', () => {
  expect(faultText(fault())).toBe('1:02:10.4: a gap in the picture, 5.5 s (VTS_01, sectors 4,549 to 4,987)');
  expect(faultText(fault({ kind: 'no pack', track: null, ms: null }))).toBe(
    '1:02:10.4: 439 sectors that hold nothing of the disc (VTS_01, sectors 4,549 to 4,987)',
  );
  expect(faultText(fault({ kind: 'no sound', track: 2, ms: 96, content: null }), (n) => `English ${n}`)).toBe(
    '1:02:10.4: nothing of English 2, 96 ms',
  );
  expect(faultText(fault({ kind: 'unreadable', track: null, ms: null, lastSector: 4549 }))).toBe(
    '1:02:10.4: 1 sector that could not be read (VTS_01, sector 4,549)',
  );
});

test.each(KINDS)('%s has words, a time and a place, for one and for many', (kind) => {
  for (const count of [1, 12])
    for (const track of [null, 0, 3]) {
      const text = faultText(fault({ kind, track, count }));
      expect(text).toMatch(/^1:02:10\.4: \S.*\(VTS_01, sectors 4,549 to 4,987\)$/);
      expect(text).not.toMatch(/undefined|null|NaN| {2}| of ,| of {2}/);
    }
});

test('the whole says what is missing at the worst place, and how many others there are', () => {
  expect(wholenessText([])).toBe('nothing is missing');
  expect(wholenessText([fault({ ms: 80 }), fault()])).toBe('5.5 s are missing around 1:02:10.4, and 1 more place');
  expect(wholenessText([fault({ kind: 'error flag', track: null, ms: null, count: 3 })])).toBe(
    '1:02:10.4: 3 packets marked as wrong on the disc (VTS_01, sectors 4,549 to 4,987)',
  );
});

test('only damage that stands somewhere becomes damage of the reading, in bounds', () => {
  const random = seeded(3);
  for (let round = 0; round < 200; round++) {
    const faults = Array.from({ length: random.int(120) }, () => {
      const firstSector = random.int(9000);
      return fault({
        kind: random.pick(KINDS),
        content: random.int(3) === 0 ? null : 'VTS_02',
        firstSector,
        lastSector: firstSector + random.int(50),
      });
    });
    const stretches = damageOf(faults, (kind) => FAULT_WEIGHTS[kind] === 'damage');
    expect(stretches.length).toBeLessThanOrEqual(MOST_STRETCHES);
    for (const stretch of stretches) {
      const from = faults.find((f) => f.firstSector === stretch.firstSector && f.lastSector === stretch.lastSector && f.content !== null);
      expect(from && FAULT_WEIGHTS[from.kind]).toBe('damage');
      expect(stretch.content).toBe('VTS_02');
    }
  }
});
