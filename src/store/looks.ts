import type { Reading } from '@/core/reading';
import { readingForReel, wholeTitleReel } from '@/core/reels';
import type { z } from 'zod';
import {
  CompareLineSchema,
  MeasureLineSchema,
  ROUTES,
  ReadTextLineSchema,
  RehearsalLineSchema,
  TrialLineSchema,
  sourceKey,
  type CompareLine,
  type Eyes,
  type MeasureLine,
  type ReadTextLine,
  type ReadTextWish,
  type RehearsalLine,
  type RehearsalWish,
  type SourceRef,
  type TrialLine,
  type TrialWish,
} from '@/contract';
import { ApiError, call, ownHeaders } from './api';

/** Views into titles, opened once per source and title, and opened again where the engine has closed them. */

const views = new Map<string, Promise<string>>();
const keyOf = (source: SourceRef, reading: Reading, title: number) => `${sourceKey(source)} ${reading.fingerprint} ${title}`;

function viewOf(source: SourceRef, reading: Reading, title: number): Promise<string> {
  const key = keyOf(source, reading, title);
  let view = views.get(key);
  if (!view) {
    const wanted = reading.titles.find((t) => t.number === title);
    const reduced = wanted ? readingForReel(reading, wholeTitleReel(wanted, '')) : reading;
    view = call('openLook', { body: { source, reading: reduced } }).then(({ id }) => id);
    views.set(key, view);
    view.catch(() => views.delete(key));
  }
  return view;
}

/** Runs something on a view; where the engine no longer has it, once more on a new one. */
async function withView<T>(source: SourceRef, reading: Reading, title: number, work: (id: string) => Promise<T>): Promise<T> {
  try {
    return await work(await viewOf(source, reading, title));
  } catch (error) {
    if (!(error instanceof ApiError) || error.problem.code !== 'not-known') throw error;
    views.delete(keyOf(source, reading, title));
    return work(await viewOf(source, reading, title));
  }
}

const pictures = new Map<string, string | null>();
const MOST_PICTURES = 1500;

export interface PictureWish {
  readonly source: SourceRef;
  readonly reading: Reading;
  readonly title: number;
  readonly angle: number;
  readonly width: number;
  /** What is shown of a title with two views, and which eye the first one is. */
  readonly eyes?: Eyes;
  readonly firstEye?: 'left' | 'right';
}
const pictureKey = (wish: PictureWish, ms: number) =>
  `${wish.reading.fingerprint}/${wish.title}/${wish.angle}/${wish.width}/${Math.round(ms)}/${wish.eyes ?? 'first'}/${wish.firstEye ?? 'left'}`;

/** Pictures that are already here. */
export const knownPicture = (wish: PictureWish, ms: number): string | null | undefined => pictures.get(pictureKey(wish, ms));

/** Fetches pictures at moments of a title; null where none can be had. What was fetched before is not asked for again. */
export async function fetchPictures(wish: PictureWish, moments: readonly number[]): Promise<void> {
  const missing = moments.filter((ms) => knownPicture(wish, ms) === undefined);
  if (missing.length === 0) return;
  const { title, angle, width, eyes = 'first', firstEye = 'left' } = wish;
  const found = await withView(wish.source, wish.reading, title, (id) =>
    call('sheet', { id, body: { title, angle, width, eyes, firstEye, moments: missing.map((ms) => Math.round(ms)) } }),
  );
  missing.forEach((ms, i) => pictures.set(pictureKey(wish, ms), found.pictures[i] ?? null));
  for (const key of pictures.keys()) {
    if (pictures.size <= MOST_PICTURES) break;
    pictures.delete(key);
  }
}

/** Asked for to see whether a view is still open. */
const NO_PICTURES = { angle: 1, width: 64, moments: [] as number[], eyes: 'first', firstEye: 'left' } as const;

export interface PlayWish extends PictureWish {
  readonly startMs: number;
  readonly audio: number | null;
  readonly subtitle: number | null;
}

/** Address of a preview that begins at a moment. */
export function previewAddress(wish: PlayWish): Promise<string> {
  return withView(wish.source, wish.reading, wish.title, async (id) => {
    // Asked once so that a view that was closed is opened again before the player finds out.
    await call('sheet', { id, body: { title: wish.title, ...NO_PICTURES } });
    const query = new URLSearchParams({
      title: String(wish.title),
      angle: String(wish.angle),
      start: String(Math.round(wish.startMs)),
      width: String(wish.width),
      eyes: wish.eyes ?? 'first',
      firstEye: wish.firstEye ?? 'left',
      ...(wish.audio === null ? {} : { audio: String(wish.audio) }),
      ...(wish.subtitle === null ? {} : { subtitle: String(wish.subtitle) }),
    });
    return `/api/looks/${id}/play?${query.toString()}`;
  });
}

type TitleWish = Pick<PictureWish, 'source' | 'reading' | 'title'>;

/** Asks for work on a title that answers with lines: progress, and at the end what was found or what went wrong. */
async function askLines<Line>(
  wish: TitleWish,
  route: 'measure' | 'compareTracks' | 'rehearse' | 'trial' | 'readText',
  body: object,
  schema: z.ZodType<Line>,
  onLine: (line: Line) => void,
  signal: AbortSignal,
): Promise<void> {
  const id = await withView(wish.source, wish.reading, wish.title, async (view) => {
    await call('sheet', { id: view, body: { title: wish.title, ...NO_PICTURES } });
    return view;
  });
  const response = await fetch(`/api${ROUTES[route].path.replace(':id', id)}`, {
    method: 'POST',
    headers: { ...ownHeaders(), 'content-type': 'application/json' },
    body: JSON.stringify({ title: wish.title, ...body }),
    signal,
  });
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  for (let step = await reader?.read(); step && !step.done; step = await reader?.read()) {
    const lines = (rest + step.value).split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines) if (line) onLine(schema.parse(JSON.parse(line)));
  }
}

/** Measures a title. */
export const measure = (wish: TitleWish, everything: boolean, onLine: (line: MeasureLine) => void, signal: AbortSignal): Promise<void> =>
  askLines(wish, 'measure', { everything }, MeasureLineSchema, onLine, signal);

/** Compares two tracks of a title, by their streams. */
export const compareTracks = (
  wish: TitleWish,
  streams: { readonly left: number; readonly right: number },
  onLine: (line: CompareLine) => void,
  signal: AbortSignal,
): Promise<void> => askLines(wish, 'compareTracks', streams, CompareLineSchema, onLine, signal);

/** Pictures of a moment before and after a recipe, as they are had. */
export const rehearse = (
  wish: TitleWish,
  moment: Omit<RehearsalWish, 'title'>,
  onLine: (line: RehearsalLine) => void,
  signal: AbortSignal,
): Promise<void> => askLines(wish, 'rehearse', moment, RehearsalLineSchema, onLine, signal);

/** Ten seconds of a copy: where they can be played. */
export async function rehearsalSample(wish: TitleWish, moment: Omit<RehearsalWish, 'title'>): Promise<string> {
  const { id } = await withView(wish.source, wish.reading, wish.title, (view) =>
    call('sample', { id: view, body: { title: wish.title, ...moment } }),
  );
  return `/api${ROUTES.playSample.path.replace(':id', id)}`;
}

/** Recipes tried on samples of a title. */
export const tryRecipes = (
  wish: TitleWish,
  trial: Omit<TrialWish, 'title'>,
  onLine: (line: TrialLine) => void,
  signal: AbortSignal,
): Promise<void> => askLines(wish, 'trial', trial, TrialLineSchema, onLine, signal);

/** A subtitle track of a reel read into text. */
export const readText = (
  wish: TitleWish,
  track: Omit<ReadTextWish, 'title'>,
  onLine: (line: ReadTextLine) => void,
  signal: AbortSignal,
): Promise<void> => askLines(wish, 'readText', track, ReadTextLineSchema, onLine, signal);
