import { blockOf, levelsOf, parentalPlace, parseParentalTable, type ParentalPlace } from './parental';

const where = { source: 'VIDEO_TS.IFO', byteOffset: 0 };

/** A parental management table of one country and two title sets; the first row is level 8. */
function table(rows: readonly (readonly [number, number, number])[]): Uint8Array {
  const data = new Uint8Array(16 + rows.length * 6);
  const view = new DataView(data.buffer);
  view.setUint16(0, 1);
  view.setUint16(2, 2);
  view.setUint16(12, 16);
  rows.forEach((row, level) => {
    row.forEach((word, set) => {
      view.setUint16(16 + level * 6 + set * 2, word);
    });
  });
  return data;
}

test('the table gives each title set its word per level, level 1 first', () => {
  const rows = Array.from({ length: 8 }, (_, i) => [0, i < 4 ? 1 : 2, 0x8000] as const); // levels 8 to 5 take mask 1, 4 to 1 mask 2
  const fields = parseParentalTable(table(rows), where);
  expect(fields.get(1)).toEqual([2, 2, 2, 2, 1, 1, 1, 1]);
  expect(levelsOf(2, fields.get(1) ?? [])).toEqual([1, 2, 3, 4]);
  expect(levelsOf(1, fields.get(1) ?? [])).toEqual([5, 6, 7, 8]);
  expect(levelsOf(4, fields.get(1) ?? [])).toEqual([]);
  expect(() => parseParentalTable(table(rows.slice(0, 3)), where)).toThrow(expect.objectContaining({ code: 'ended-early' }));
});

test('the category of a chain tells whether it is one of several', () => {
  expect(parentalPlace(0x81_50_00_01)).toEqual({ mask: 1, first: true });
  expect(parentalPlace(0x01_d0_00_02)).toEqual({ mask: 2, first: false });
  expect(parentalPlace(0x81_00_00_00)).toBeNull();
});

test('a block is the first chain and those after it up to the next first one', () => {
  const first: ParentalPlace = { mask: 1, first: true };
  const next: ParentalPlace = { mask: 2, first: false };
  const places = [null, first, next, next, first, next, null];
  expect([1, 2, 3, 4, 5, 6, 7].map((n) => blockOf(places, n))).toEqual([[1], [2, 3, 4], [2, 3, 4], [2, 3, 4], [5, 6], [5, 6], [7]]);
});
