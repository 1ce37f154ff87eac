import 'fake-indexeddb/auto';
import type { EngineState } from '@/contract';
import { call } from './api';
import { connectEngine, currentEngine } from './engine';

/** What a page does when the engine's stream breaks, comes back, or comes from another engine. */
jest.mock('./api', () => ({ call: jest.fn() }));
jest.mock('./archive', () => ({
  catalogue: () => ({ jobs: { put: () => Promise.resolve(), delete: () => Promise.resolve() } }),
  lastArchive: () => null,
  openArchive: () => Promise.resolve(true),
  openedArchive: () => ({ archive: { id: 'a', name: 'A' } }),
}));
jest.mock('./discs', () => ({
  keepDamage: () => Promise.resolve(),
  keepReading: () => Promise.resolve(),
  reconcileJobs: () => Promise.resolve(),
}));

class PlayedSource {
  static readonly CLOSED = 2;
  static readonly all: PlayedSource[] = [];
  onmessage: ((event: { data: string }) => void) | null = null;
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  readyState = 1;
  constructor(readonly address: string) {
    PlayedSource.all.push(this);
  }
  close(): void {
    this.readyState = PlayedSource.CLOSED;
  }
  say(event: object): void {
    this.onmessage?.({ data: JSON.stringify(event) });
  }
}
Object.assign(globalThis, { EventSource: PlayedSource });
const source = (): PlayedSource => {
  const found = PlayedSource.all.at(-1);
  if (!found) throw new Error('no stream was opened');
  return found;
};

const state = (boot: string, outputs: number) =>
  ({
    boot,
    outputs,
    archive: { id: 'a', name: 'A' },
    drives: [],
    roots: [],
    storages: [],
    readings: [],
    jobs: [],
  }) as unknown as EngineState;
const asked = jest.mocked(call);
beforeEach(() => {
  jest.useFakeTimers();
});
afterEach(() => {
  jest.useRealTimers();
});
const settle = () => jest.advanceTimersByTimeAsync(0);

test('the whole state is asked for once an engine says hello; events that come meanwhile are not lost', async () => {
  let answer: (value: EngineState) => void = () => undefined;
  asked.mockImplementationOnce(
    () =>
      new Promise<EngineState>((resolve) => {
        answer = resolve;
      }) as never,
  );
  const end = connectEngine();
  expect(source().address).toBe('/api/events');
  source().say({ type: 'hello', boot: 'one' });
  source().say({ type: 'outputs', count: 7 });
  answer(state('one', 3));
  await settle();
  // The state was on its way already when seven were said.
  expect(currentEngine()?.outputs).toBe(7);
  source().say({ type: 'outputs', count: 8 });
  expect(currentEngine()?.outputs).toBe(8);

  // Another engine has taken over: nothing of what it says counts before its whole state is there.
  asked.mockResolvedValueOnce(state('two', 1));
  source().say({ type: 'hello', boot: 'two' });
  source().say({ type: 'outputs', count: 2 });
  await settle();
  expect(currentEngine()).toMatchObject({ boot: 'two', outputs: 2 });

  // An event of a version to come: the whole state says what it meant.
  asked.mockResolvedValueOnce(state('two', 5));
  source().say({ type: 'tomorrow' });
  await settle();
  expect(currentEngine()?.outputs).toBe(5);

  // The browser goes on with a stream that only broke; for one that it has given up a new one is opened.
  const opened = PlayedSource.all.length;
  source().onerror?.();
  await jest.advanceTimersByTimeAsync(3000);
  expect(PlayedSource.all).toHaveLength(opened);
  source().readyState = PlayedSource.CLOSED;
  source().onerror?.();
  await jest.advanceTimersByTimeAsync(3000);
  expect(PlayedSource.all).toHaveLength(opened + 1);

  // Where nothing answers it is asked again.
  asked.mockRejectedValueOnce(new Error('away'));
  asked.mockResolvedValueOnce(state('three', 9));
  source().say({ type: 'hello', boot: 'three' });
  await jest.advanceTimersByTimeAsync(2000);
  expect(currentEngine()).toMatchObject({ boot: 'three', outputs: 9 });
  end();
  expect(source().readyState).toBe(PlayedSource.CLOSED);
});
