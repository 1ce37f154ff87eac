import { seeded } from '@/test-support/random';
import { grouped, inHeldOrder } from './grouped';

const rows = [
  { name: 'b', set: 'Tides 10' },
  { name: 'a', set: '' },
  { name: 'c', set: 'Tides 2' },
  { name: 'd', set: 'Tides 10' },
];
const told = (folded: readonly string[]) =>
  grouped(rows, (r) => r.set, new Set(folded)).map((i) => (i.kind === 'heading' ? `${i.name} (${i.count})` : i.row.name));

test('rows stand under headings in the order of those, numbers by their value, what has none last', () => {
  expect(told([])).toEqual(['Tides 2 (1)', 'c', 'Tides 10 (2)', 'b', 'd', ' (1)', 'a']);
});

test('what is folded shows its heading only; without groups rows stay as they are', () => {
  expect(told(['Tides 10', ''])).toEqual(['Tides 2 (1)', 'c', 'Tides 10 (2)', ' (1)']);
  expect(grouped(rows, null, new Set(['Tides 10'])).map((i) => (i.kind === 'row' ? i.row.name : ''))).toEqual(['b', 'a', 'c', 'd']);
});

test('every row is there once, and headings count them, for any rows', () => {
  for (let seed = 0; seed < 50; seed++) {
    const random = seeded(seed);
    const many = Array.from({ length: random.int(200) }, (_, i) => ({ id: i, set: String(random.int(12)) }));
    const items = grouped(many, (r) => r.set, new Set());
    const ids = items.flatMap((i) => (i.kind === 'row' ? [i.row.id] : []));
    expect([...ids].sort((a, b) => a - b)).toEqual(many.map((r) => r.id));
    const counted = items.reduce((sum, i) => sum + (i.kind === 'heading' ? i.count : 0), 0);
    expect(counted).toBe(many.length);
  }
});

test('an order that is held stays, whatever comes, goes or is sorted anew; what is new stands behind', () => {
  const key = (row: { name: string }) => row.name;
  const names = (list: readonly { name: string }[]) => list.map(key).join('');
  const list = (text: string) => text.split('').map((name) => ({ name }));
  expect(names(inHeldOrder(list('dcba'), ['a', 'b', 'c'], key))).toBe('abcd');
  expect(names(inHeldOrder(list('ca'), ['a', 'b', 'c'], key))).toBe('ac');
  expect(names(inHeldOrder(list('zyx'), [], key))).toBe('zyx');
  expect(names(inHeldOrder(list('yaxb'), ['b', 'a'], key))).toBe('bayx');
});
