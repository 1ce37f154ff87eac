import type { FromDropped, ToDropped } from '@/contract';
import { findRoles } from '@/core/findings';
import { wholeTitleReel } from '@/core/reels';
import { sketchReading } from '@/test-support/readings';
import { keepReading } from './discs';

/** The page's side of what runs in web workers; those are played here. */
jest.mock('./archive', () => ({ catalogue: () => ({}) }));
jest.mock('./discs', () => ({ keepReading: jest.fn(() => Promise.resolve()) }));

const reading = sketchReading([{ parts: ['a:30'] }, { parts: ['b:20'] }]);
const [title] = reading.titles;
if (!title) throw new Error('no title');
const reel = wholeTitleReel(title, 'Haul');

class PlayedWorker {
  static readonly all: PlayedWorker[] = [];
  onmessage: ((event: { data: FromDropped }) => void) | null = null;
  onerror: ((event: { message: string }) => void) | null = null;
  told: ToDropped | null = null;
  ended = false;
  constructor() {
    PlayedWorker.all.push(this);
  }
  postMessage(message: ToDropped): void {
    this.told = message;
  }
  terminate(): void {
    this.ended = true;
  }
  say(data: FromDropped): void {
    this.onmessage?.({ data });
  }
}
Object.assign(globalThis, {
  Worker: PlayedWorker,
  document: { createElement: () => ({ click: () => undefined }) },
});
URL.createObjectURL = () => 'blob:x';

const settled = () => new Promise((resolve) => setTimeout(resolve, 5));
const worker = (at: number): PlayedWorker => {
  const found = PlayedWorker.all.at(at);
  if (!found) throw new Error('no worker was started');
  return found;
};
const file = (name: string) => ({ name, size: 10 }) as File;

// The module must see the played worker, and so is loaded behind it.
const load = () => import('./dropped');
type Dropped = Awaited<ReturnType<typeof load>>;
let dropped: Dropped;
const last = () => dropped.droppedWorks().at(-1);
beforeAll(async () => {
  dropped = await load();
});

test('an image that was read stands in the catalogue before it is said to be done; where that fails, it says so', async () => {
  dropped.readDropped(file('a.iso'));
  expect(last()).toMatchObject({ name: 'a.iso', state: 'reading', fingerprint: null });
  worker(-1).say({ type: 'progress', done: 3, total: 9, proving: false });
  expect(last()).toMatchObject({ done: 3, total: 9 });
  worker(-1).say({ type: 'read', reading, findings: findRoles(reading) });
  await settled();
  expect(last()).toMatchObject({ state: 'done', fingerprint: reading.fingerprint });
  expect([keepReading, worker(-1).ended].map((x) => (x === true ? 'ended' : 'kept'))).toEqual(['kept', 'ended']);

  jest.mocked(keepReading).mockRejectedValueOnce(new Error('the quota is used up'));
  dropped.readDropped(file('b.iso'));
  worker(-1).say({ type: 'read', reading, findings: findRoles(reading) });
  await settled();
  expect(last()).toMatchObject({ name: 'b.iso', state: 'failed', message: expect.stringContaining('the quota is used up') as string });
});

test('what the worker could not do, and a worker that can not be started, are said', () => {
  dropped.readDropped(file('c.iso'));
  worker(-1).say({ type: 'failed', message: 'This is no disc.', whatToDo: 'Choose another.' });
  expect(last()).toMatchObject({ state: 'failed', message: 'This is no disc. Choose another.' });
  dropped.readDropped(file('d.iso'));
  worker(-1).onerror?.({ message: '' });
  expect(last()).toMatchObject({ state: 'failed', message: 'The reader could not be started' });
});

test('masters are made one after another; one that waits can be stopped, and the next goes on', async () => {
  const before = PlayedWorker.all.length;
  for (const name of ['one', 'two', 'three']) dropped.makeDropped(reading, reel, name);
  await settled();
  expect(PlayedWorker.all.length).toBe(before + 1);
  const ids = dropped.droppedWorks().slice(-3);
  expect(ids.map((w) => w.state)).toEqual(['making', 'waiting', 'waiting']);
  dropped.stopDropped(ids[1]?.id ?? 0);
  worker(-1).say({ type: 'progress', done: 1, total: 2, proving: true });
  expect(dropped.droppedWorks().at(-3)).toMatchObject({ state: 'proving' });
  worker(-1).say({ type: 'made', file: new Blob() as File, tracks: 4, identicalTracks: 4, whole: 'whole' });
  await settled();
  expect(PlayedWorker.all.length).toBe(before + 2);
  expect(dropped.droppedWorks().slice(-3)).toMatchObject([
    { name: 'one', state: 'done', message: expect.stringContaining('4 of 4 tracks bit-identical') as string },
    { name: 'two', state: 'failed', message: 'Stopped on request.' },
    { name: 'three', state: 'making' },
  ]);
  // Stopped in the middle of it: the worker is ended.
  dropped.stopDropped(ids[2]?.id ?? 0);
  expect([worker(-1).ended, last()?.state]).toEqual([true, 'failed']);
});
