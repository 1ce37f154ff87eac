import { useSyncExternalStore } from 'react';
import type { Reading } from '@/core/reading';
import type { Reel } from '@/core/reels';
import type { FromDropped, ToDropped } from '@/contract';
import { catalogue } from './db';
import { keepReading } from './discs';

/** Images that were dropped onto the page: read and made into masters in this browser, as long as the page is open. */
export interface DroppedWork {
  readonly id: number;
  readonly name: string;
  readonly state: 'reading' | 'making' | 'proving' | 'done' | 'failed';
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

function begin(
  name: string,
  state: DroppedWork['state'],
  message: ToDropped,
  onMessage: (id: number, data: FromDropped) => void,
): () => void {
  const id = ++count;
  works = [...works.slice(-20), { id, name, state, done: 0, total: 0, fingerprint: null, message: null }];
  const worker = new Worker(new URL('../workers/dropped-image.ts', import.meta.url), { type: 'module' });
  worker.onmessage = ({ data }: MessageEvent<FromDropped>) => {
    if (data.type === 'progress') set(id, { done: data.done, total: data.total, ...(data.proving ? { state: 'proving' } : {}) });
    else {
      worker.terminate();
      if (data.type === 'failed') set(id, { state: 'failed', message: `${data.message} ${data.whatToDo}` });
      else onMessage(id, data);
    }
  };
  worker.onerror = (event) => {
    worker.terminate();
    set(id, { state: 'failed', message: event.message || 'The reader could not be started' });
  };
  worker.postMessage(message);
  set(id, {});
  return () => {
    worker.terminate();
    set(id, { state: 'failed', message: 'Stopped on request.' });
  };
}

/** Reads an image file in this browser. Nothing is uploaded. */
export function readDropped(file: File): void {
  begin(file.name, 'reading', { type: 'read', file }, (id, data) => {
    if (data.type !== 'read') return;
    const { reading, findings } = data;
    files.set(reading.fingerprint, file);
    void keepReading(catalogue, reading, findings, null, file.name).then(() => {
      set(id, { state: 'done', fingerprint: reading.fingerprint });
    });
  });
}

/** Makes a lossless master in this browser and hands it over as a download once it is proven. */
export function makeDropped(reading: Reading, reel: Reel, fileName: string): void {
  const file = files.get(reading.fingerprint);
  if (!file) return;
  begin(fileName, 'making', { type: 'make', file, reading, reel }, (id, data) => {
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
      message: `${String(data.identicalTracks)} of ${String(data.tracks)} tracks bit-identical to the source`,
    });
  });
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

export function useDropped(): readonly DroppedWork[] {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => works,
    () => NONE,
  );
}
