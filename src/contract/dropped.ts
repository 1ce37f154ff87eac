import type { Findings } from '@/core/findings';
import type { Reading } from '@/core/reading';
import type { Reel } from '@/core/reels';

/** What the page and the worker that reads a dropped image say to each other. Both are of one build: types are enough. */
export type ToDropped =
  | { readonly type: 'read'; readonly file: File }
  | { readonly type: 'make'; readonly file: File; readonly reading: Reading; readonly reel: Reel };

export type FromDropped =
  | { readonly type: 'progress'; readonly done: number; readonly total: number; readonly proving: boolean }
  | { readonly type: 'read'; readonly reading: Reading; readonly findings: Findings }
  /** A finished master, proven against what was read; it stands in the browser's own storage until it is saved. */
  | { readonly type: 'made'; readonly file: File; readonly identicalTracks: number; readonly tracks: number; readonly whole: string }
  | { readonly type: 'failed'; readonly message: string; readonly whatToDo: string };
