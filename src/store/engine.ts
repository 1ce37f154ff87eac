import { useSyncExternalStore } from 'react';
import { EngineEventSchema, type EngineEvent, type EngineState, type ReadingTask } from '@/contract';
import { call } from './api';
import { catalogue, lastArchive, openArchive, openedArchive } from './archive';
import { keepDamage, keepReading, reconcileJobs } from './discs';
import { fetchOutcomes } from './standing';

/** What the pages know of the engine. `link` says whether that is fresh. */
export interface EngineView {
  readonly link: 'connecting' | 'live' | 'lost';
  readonly state: EngineState | null;
}

let view: EngineView = { link: 'connecting', state: null };
const listeners = new Set<() => void>();
const SERVER_VIEW: EngineView = { link: 'connecting', state: null };

function set(next: Partial<EngineView>): void {
  view = { ...view, ...next };
  for (const listener of listeners) listener();
}

function upsert<T extends { readonly id: string }>(list: readonly T[], item: T): T[] {
  const at = list.findIndex((i) => i.id === item.id);
  return at < 0 ? [...list, item] : list.map((i, n) => (n === at ? item : i));
}

/** Folds an event into the state. Pure, so that it can be tested without an engine. */
export function applyEvent(state: EngineState, event: EngineEvent): EngineState {
  switch (event.type) {
    case 'archive':
      return { ...state, archive: event.archive };
    case 'drives':
      return { ...state, drives: event.drives };
    case 'roots':
      return { ...state, roots: event.roots };
    case 'storages':
      return { ...state, storages: event.storages };
    case 'reading':
      return { ...state, readings: upsert(state.readings, event.task) };
    case 'job':
      return { ...state, jobs: upsert(state.jobs, event.job) };
    case 'job-gone':
      return { ...state, jobs: state.jobs.filter((j) => j.id !== event.id) };
    case 'queue':
      return { ...state, queue: event.queue };
    case 'after':
      return { ...state, after: event.after };
    case 'pace':
      return { ...state, pace: event.pace };
    case 'outputs':
      return { ...state, outputs: event.count };
    case 'fixity':
      return { ...state, fixity: event.fixity };
    case 'bags':
      return { ...state, bags: event.bags };
    case 'folders':
      return { ...state, folders: event.folders };
    case 'standing':
      return { ...state, standing: event.standing };
    case 'images':
      return { ...state, images: event.images };
    case 'encoders':
      return { ...state, encoders: event.encoders };
    case 'hello':
      return state;
  }
}

const fetched = new Set<string>();
const arrivals = new Set<(fingerprint: string) => void>();

/** Calls back with every disc whose reading has come in. @returns what ends it. */
export function onArrival(listener: (fingerprint: string) => void): () => void {
  arrivals.add(listener);
  return () => arrivals.delete(listener);
}

/** A reading that is done is fetched once and goes into the catalogue, whichever page is open. */
async function fetchReading(task: ReadingTask): Promise<void> {
  if (task.state !== 'done' || fetched.has(task.id)) return;
  fetched.add(task.id);
  try {
    const { reading, findings } = await call('reading', { id: task.id });
    if (!reading || !findings) return;
    await keepReading(catalogue(), reading, findings, task.source, task.name, task.thorough);
    for (const listener of arrivals) listener(reading.fingerprint);
  } catch {
    fetched.delete(task.id); // tried again with the next state
  }
}

/** Tried again with the next state, where it does not come. */
const fetchStanding = ({ standing }: EngineState): void => void fetchOutcomes(standing.seq).catch(() => undefined);

/** Events that come while the whole state is on its way may be newer than it: they are applied once more on top of it. */
let loads = 0;
let meanwhile: EngineEvent[] = [];

async function load(): Promise<void> {
  if (loads++ === 0) meanwhile = [];
  try {
    const fetched = await call('state');
    if (
      !(await openArchive(
        fetched.archive,
        fetched.jobs.map((j) => j.id),
      ))
    ) {
      // Another archive runs at this address now: nothing of it may reach this page's catalogue.
      location.reload();
      return;
    }
    const state = meanwhile.reduce(applyEvent, fetched);
    set({ state, link: 'live' });
    await reconcileJobs(catalogue(), state.jobs);
    for (const job of state.jobs) await keepDamage(catalogue(), job);
    for (const task of state.readings) void fetchReading(task);
    fetchStanding(state);
  } catch {
    // Nothing answers: what was catalogued can be looked at all the same.
    const last = openedArchive() ? null : lastArchive();
    if (last) await openArchive(last).catch(() => false);
    set({ link: 'lost' });
    retry();
  } finally {
    loads--;
  }
}

let retrying: ReturnType<typeof setTimeout> | null = null;
function retry(): void {
  retrying ??= setTimeout(() => {
    retrying = null;
    void load();
  }, 1500);
}

/** The engine that the stream comes from. */
let boot: string | null = null;

function take(event: EngineEvent): void {
  if (event.type === 'hello') boot = event.boot;
  else if (loads > 0) meanwhile.push(event);
  // What another engine says than the one whose state is shown may be of another archive.
  if (event.type === 'hello' || !view.state || view.state.boot !== boot) {
    if (loads === 0 || event.type === 'hello') void load();
    return;
  }
  set({ state: applyEvent(view.state, event), link: 'live' });
  if (event.type === 'archive') void openArchive(event.archive);
  if (event.type === 'reading') void fetchReading(event.task);
  if (event.type === 'standing' && view.state) fetchStanding(view.state);
  if (event.type === 'job') {
    void catalogue().jobs.put(event.job);
    void keepDamage(catalogue(), event.job);
  }
  if (event.type === 'job-gone') void catalogue().jobs.delete(event.id);
}

let source: EventSource | null = null;

/** Opens the event stream. The browser itself reconnects and says which event it saw last. */
export function connectEngine(): () => void {
  source ??= open();
  return () => {
    source?.close();
    source = null;
  };
}

function open(): EventSource {
  const stream = new EventSource('/api/events');
  stream.onmessage = (message: MessageEvent<string>) => {
    const parsed = EngineEventSchema.safeParse(JSON.parse(message.data));
    if (parsed.success) take(parsed.data);
    else void load(); // an event of another version: the whole state says what it meant
  };
  stream.onopen = () => {
    if (view.state) set({ link: 'live' });
  };
  stream.onerror = () => {
    set({ link: 'lost' });
    // Where the server answered with an error the browser gives up for good: a new stream is needed.
    if (stream.readyState === EventSource.CLOSED && source === stream) {
      setTimeout(() => {
        if (source === stream) source = open();
      }, 1500);
    }
  };
  return stream;
}

/** The engine's state as last heard, for what runs beside the pages. */
export const currentEngine = (): EngineState | null => view.state;

/** Live view of the engine. */
export function useEngine(): EngineView {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => view,
    () => SERVER_VIEW,
  );
}
