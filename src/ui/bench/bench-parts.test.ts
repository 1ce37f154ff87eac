import { findRoles } from '@/core/findings';
import { DEFAULT_RULES, NO_TAGS, partsOfPattern, wholeTitleReel, type Reel } from '@/core/reels';
import type { EngineState, Output } from '@/contract';
import type { DiscRecord, DraftReel } from '@/store/db';
import type { Draft } from '@/store/draft';
import { sketchReading } from '@/test-support/readings';
import { quietSource, readableSources } from '@/store/sources';
import { placesOf } from './reels/places';

const reading = sketchReading([{ parts: ['a:30'] }, { parts: ['b:20'] }]);
const disc: DiscRecord = {
  fingerprint: reading.fingerprint,
  name: 'Test Disc',
  reading,
  findings: findRoles(reading),
  sources: [
    { ref: { kind: 'drive', drive: 'tray' }, name: 'Tray' },
    { ref: { kind: 'place', root: 'images', path: 'x.iso' }, name: 'x.iso' },
  ],
  addedAt: '',
  readAt: '',
  tags: NO_TAGS,
  firstEpisode: null,
  labels: [],
};
const engine = (drive: string, available: boolean) =>
  ({ drives: [{ id: 'tray', state: drive }], roots: [{ id: 'images', available }] }) as unknown as EngineState;

describe('sources', () => {
  test.each([
    ['ready', true, ['Tray', 'x.iso'], 'x.iso'],
    ['empty', true, ['x.iso'], 'x.iso'],
    ['ready', false, ['Tray'], 'Tray'],
    // A job reads the drive: pictures must not get in its way.
    ['reading', false, ['Tray'], null],
    ['empty', false, [], null],
  ])('drive %s, images there: %s', (drive, available, names, quiet) => {
    const state = engine(drive, available);
    const sources = readableSources(disc, state);
    expect(sources.map((s) => s.name)).toEqual(names);
    expect(quietSource(sources, state)?.name ?? null).toBe(quiet);
  });
});

describe('where files will be', () => {
  const title = reading.titles[0];
  if (!title) throw new Error('no title');
  const reel = (name: string, change: Partial<Reel> = {}): Reel => ({ ...wholeTitleReel(title, name), ...change });
  const draftOf = (reels: readonly DraftReel[], folder = '') =>
    ({
      record: { fingerprint: disc.fingerprint, reels, storage: null, folder: partsOfPattern(folder), past: [], future: [], changedAt: '' },
    }) as unknown as Draft;
  const places = (reels: readonly DraftReel[], outputs: readonly string[] = [], folder = '') => [
    ...placesOf(
      disc,
      draftOf(reels, folder),
      DEFAULT_RULES,
      outputs.map((path) => ({ path, storage: 's' }) as unknown as Output),
      's',
    ).values(),
  ];

  test('by the pattern, in the folder’s own pattern, or as the user has written it', () => {
    const tags = { ...NO_TAGS, year: '1987', series: 'Nets' };
    expect(places([{ id: '1', reel: reel('Haul', { tags }), jobId: null }], [], '{series}/{year}')).toEqual([
      { path: 'Nets/1987/Nets Haul (1987)', clash: false },
    ]);
    expect(places([{ id: '1', reel: reel('Haul', { tags, fileName: 'my: own' }), jobId: null }])).toEqual([
      { path: 'my- own', clash: false },
    ]);
  });

  test('names that are taken, in the library or by another reel, are said; those of jobs are not', () => {
    const two = (jobId: string | null): DraftReel[] => [
      { id: '1', reel: reel('Haul'), jobId },
      { id: '2', reel: reel('HAUL'), jobId: null },
    ];
    expect(places(two(null)).map((p) => p.clash)).toEqual([true, true]);
    expect(places(two('job')).map((p) => p.clash)).toEqual([false, false]);
    expect(places([{ id: '1', reel: reel('Haul'), jobId: null }], ['haul.mkv']).map((p) => p.clash)).toEqual([true]);
    expect(places([{ id: '1', reel: reel('Haul'), jobId: null }], ['haul 2.mkv']).map((p) => p.clash)).toEqual([false]);
  });
});
