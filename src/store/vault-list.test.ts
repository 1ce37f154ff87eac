import type { CheckResult, VaultEntry } from '@/contract';
import { filesOf, type VaultFilter } from './vault-list';

const entry = (
  id: string,
  name: string,
  change: {
    size?: number;
    made?: string;
    recipe?: string;
    storage?: string;
    damage?: number;
    passed?: boolean;
    presence?: string;
    seal?: string;
    disc?: string;
  } = {},
) =>
  ({
    id,
    path: `Films/${name}.mkv`,
    storage: change.storage ?? 'a',
    presence: change.presence ?? 'present',
    seal: change.seal ?? 'whole',
    sidecar: {
      recipe: change.recipe ?? 'master',
      madeAt: change.made ?? '2026-01-01T00:00:00Z',
      file: { sizeBytes: change.size ?? 1 },
      disc: { label: change.disc ?? 'DISC' },
      reel: { name },
      proof: { passed: change.passed ?? true },
      promise: { wholeness: { damage: change.damage ?? 0 } },
    },
  }) as unknown as VaultEntry;

const files = [
  entry('1', 'Part 10', { size: 5, made: '2026-01-03T00:00:00Z', disc: 'B' }),
  entry('2', 'part 9', { size: 9, made: '2026-01-01T00:00:00Z', disc: 'C', recipe: 'access' }),
  entry('3', 'Àrd', { size: 7, made: '2026-01-02T00:00:00Z', disc: 'A', storage: 'b' }),
];
const ids = (change: Partial<VaultFilter>, differing = new Map<string, CheckResult>(), list: readonly VaultEntry[] = files) =>
  filesOf(list, { words: '', narrowed: 'all', storage: '', sorted: 'made', ...change }, differing)
    .map((f) => f.id)
    .join('');

test('sorted by when they were made, by name as people count, by disc, by size', () => {
  expect([ids({}), ids({ sorted: 'name' }), ids({ sorted: 'disc' }), ids({ sorted: 'size' })]).toEqual(['132', '321', '312', '231']);
});

test('found by all of the words, in names, paths and discs', () => {
  expect([ids({ words: ' PART  films ' }), ids({ words: 'part c' }), ids({ words: 'part xyz' }), ids({ storage: 'b' })]).toEqual([
    '12',
    '2',
    '',
    '3',
  ]);
  expect([ids({ narrowed: 'masters' }), ids({ narrowed: 'copies' })]).toEqual(['13', '2']);
});

test('what wants eyes: gone, changed, spoilt, not proven, not whole, or found so by a check; nothing else', () => {
  const odd = [
    entry('a', 'a', { presence: 'missing' }),
    entry('b', 'b', { seal: 'broken' }),
    entry('c', 'c', { passed: false }),
    entry('d', 'd', { damage: 2 }),
    entry('e', 'e'),
    entry('f', 'f', { seal: 'none' }),
  ];
  expect(ids({ narrowed: 'eyes', sorted: 'name' }, new Map(), odd)).toBe('abcd');
  expect(ids({ narrowed: 'eyes', sorted: 'name' }, new Map([['e', 'changed']]), odd)).toBe('abcde');
});
