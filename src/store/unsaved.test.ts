import '@/test-support/browser';
import { openArchive, catalogue } from './archive';
import { CATALOGUE_VERSION, type DraftRecord } from './db';
import { readDraft, saveDraft } from './unsaved';

/** What is on its way when a page is left, against what the catalogue holds by then. */

const page = new EventTarget();
Object.assign(globalThis, { window: page });
const leave = () => page.dispatchEvent(new Event('pagehide'));
const draft = (folder: string, changedAt: string): DraftRecord => ({
  fingerprint: 'f',
  storage: 's',
  folder: [{ kind: 'text', text: folder }],
  changedAt,
  reels: [],
  past: [],
  future: [],
});
const KEY = 'careful-vault unsaved 00000000-0000-4000-8000-000000000001 f';

beforeAll(() => openArchive({ id: '00000000-0000-4000-8000-000000000001', name: 'A', madeAt: '2026-01-01', isOlder: false }));
beforeEach(async () => {
  localStorage.clear();
  await catalogue().drafts.clear();
});

test('a page that is left in mid-write leaves what it was writing; one whose writes are down leaves nothing', async () => {
  await saveDraft(draft('Kept', '2026-01-01'));
  leave();
  expect(localStorage.getItem(KEY)).toBeNull();
  const writing = saveDraft(draft('Later', '2026-01-02'));
  leave();
  expect(JSON.parse(localStorage.getItem(KEY) ?? '')).toMatchObject({ record: { folder: [{ text: 'Later' }] } });
  await writing;
  expect(localStorage.getItem(KEY)).toBeNull();
});

test('the later of what is written and what was left counts; what another version left, or nobody can read, does not', async () => {
  const left = (record: unknown, version: unknown = CATALOGUE_VERSION) => {
    localStorage.setItem(KEY, JSON.stringify({ version, record }));
  };
  left(draft('Left', '2026-01-02'));
  expect(await readDraft('f')).toEqual(draft('Left', '2026-01-02'));
  await catalogue().drafts.put(draft('Written', '2026-01-03'));
  expect(await readDraft('f')).toEqual(draft('Written', '2026-01-03'));
  left(draft('Left', '2026-01-04'));
  expect(await readDraft('f')).toEqual(draft('Left', '2026-01-04'));
  left(draft('Left', '2026-01-04'), CATALOGUE_VERSION - 1);
  expect(await readDraft('f')).toEqual(draft('Written', '2026-01-03'));
  left({ ...draft('Other', '2026-01-04'), fingerprint: 'g' });
  expect(await readDraft('f')).toEqual(draft('Written', '2026-01-03'));
  localStorage.setItem(KEY, '{"version":');
  expect(await readDraft('f')).toEqual(draft('Written', '2026-01-03'));
});

test('where a browser has no room for the way there, what was chosen is kept all the same', async () => {
  const many = { ...draft('Chosen', '2026-01-02'), past: Array.from({ length: 40 }, () => []) };
  const setItem = localStorage.setItem.bind(localStorage);
  const full = jest.spyOn(localStorage, 'setItem').mockImplementation((key, value) => {
    if (value.includes('[],[]')) throw new Error('QuotaExceededError');
    setItem(key, value);
  });
  const writing = saveDraft(many);
  leave();
  full.mockRestore();
  expect(JSON.parse(localStorage.getItem(KEY) ?? '')).toMatchObject({ record: { folder: many.folder, past: [] } });
  await writing;
});
