import { useSyncExternalStore } from 'react';
import type { Reading } from '@/core/reading';
import type { Reel } from '@/core/reels';
import type { FromDropped, ToDropped } from '@/contract';
import { catalogue } from './archive';
import { keepReading } from './discs';

/** Images that were dropped onto the page: read and made into masters in this browser, as long as the page is open. */
export interface DroppedWork {
  readonly id: number;
  readonly name: string;
  readonly state: 'reading' | 'waiting' | 'making' | 'proving' | 'done' | 'failed';
  readonly done: number;
  readonly total: number;
  readonly fingerprint: string | null;
  readonly message: string | null;
}

let works: readonly DroppedWork[] = [];
const files = new Map<string, File>();
const listeners = new Set<() => void>();
let count = 0;
let cleared = false;
const NONE: readonly DroppedWork[] = [];

function set(id: number, change: Partial<DroppedWork>): void {
  works = works.map((w) => (w.id === id ? { ...w, ...change } : w));
  for (const listener of listeners) listener();
}

const STOPPED = { state: 'failed', message: 'Stopped on request.' } as const;
/** What ends a work before its end, by its number. */
const stops = new Map<number, () => void>();
export const stopDropped = (id: number): void => stops.get(id)?.();

function enter(name: string, state: DroppedWork['state']): number {
  const id = ++count;
  works = [...works.slice(-40), { id, name, state, done: 0, total: 0, fingerprint: null, message: null }];
  set(id, {});
  return id;
}

/** Has a worker of its own do something. Settles when it is over, however that came. */
function work(id: number, state: DroppedWork['state'], message: ToDropped, onMessage: (data: FromDropped) => void): Promise<void> {
  return new Promise((resolve) => {
    const worker = new Worker(new URL('../workers/dropped-image.ts', import.meta.url), { type: 'module' });
    const end = (change: Partial<DroppedWork>) => {
      worker.terminate();
      stops.delete(id);
      set(id, change);
      resolve();
    };
    worker.onmessage = ({ data }: MessageEvent<FromDropped>) => {
      if (data.type === 'progress') set(id, { done: data.done, total: data.total, ...(data.proving ? { state: 'proving' } : {}) });
      else if (data.type === 'failed') end({ state: 'failed', message: `${data.message} ${data.whatToDo}` });
      else {
        onMessage(data);
        end({});
      }
    };
    worker.onerror = (event) => {
      end({ state: 'failed', message: event.message || 'The reader could not be started' });
    };
    stops.set(id, () => {
      end(STOPPED);
    });
    set(id, { state });
    worker.postMessage(message);
  });
}

/** Reads an image file in this browser. Nothing is uploaded. */
export function readDropped(file: File): void {
  const id = enter(file.name, 'reading');
  void work(id, 'reading', { type: 'read', file }, (data) => {
    if (data.type !== 'read') return;
    const { reading, findings } = data;
    files.set(reading.fingerprint, file);
    keepReading(catalogue(), reading, findings, null, file.name).then(
      () => {
        set(id, { state: 'done', fingerprint: reading.fingerprint });
      },
      (error: unknown) => {
        const why = error instanceof Error ? error.message : String(error);
        set(id, {
          state: 'failed',
          message: `It was read, but could not be put into the catalogue: ${why}. Make room in the browser’s storage.`,
        });
      },
    );
  });
}

/** Masters are made one after another: each reads the whole file. */
let before: Promise<void> = Promise.resolve();

/** Makes a lossless master in this browser and hands it over as a download once it is proven. */
export function makeDropped(reading: Reading, reel: Reel, fileName: string): void {
  const file = files.get(reading.fingerprint);
  if (!file) return;
  const id = enter(fileName, 'waiting');
  stops.set(id, () => {
    stops.delete(id);
    set(id, STOPPED);
  });
  const make = () =>
    work(id, 'making', { type: 'make', file, reading, reel }, (data) => {
      if (data.type !== 'made') return;
      const address = URL.createObjectURL(data.file);
      const link = document.createElement('a');
      link.href = address;
      link.download = `${fileName}.mkv`;
      link.click();
      // The download reads from the browser's own storage: it is cleared with the next start of the page.
      set(id, {
        state: 'done',
        fingerprint: reading.fingerprint,
        message: `${data.identicalTracks} of ${data.tracks} tracks bit-identical to what was read, ${data.whole}`,
      });
    });
  // One that was stopped while it waited is no longer among those that can be.
  before = before.then(() => (stops.has(id) ? make() : undefined));
}

/** Masters of earlier visits that still lie in the browser's storage are removed: they have been saved or given up. */
export async function clearDropped(): Promise<void> {
  if (cleared) return; // what this visit has made may still be on its way to the disk
  cleared = true;
  const root = await navigator.storage?.getDirectory?.().catch(() => null);
  if (!root) return;
  const names: string[] = [];
  for await (const name of (root as unknown as { keys(): AsyncIterable<string> }).keys()) names.push(name);
  for (const name of names) if (/^master-\d+\.mkv$/.test(name)) await root.removeEntry(name).catch(() => undefined);
}

export const droppedFile = (fingerprint: string): File | null => files.get(fingerprint) ?? null;

/** What is under way and what has ended, oldest first. */
export const droppedWorks = (): readonly DroppedWork[] => works;

export function useDropped(): readonly DroppedWork[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    droppedWorks,
    () => NONE,
  );
}
