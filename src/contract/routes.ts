import { z } from 'zod';
import {
  ArrangeSchema,
  ChangeSchema,
  ArrangedSchema,
  BrowseQuerySchema,
  BrowseResultSchema,
  PageQuerySchema,
  PlaceQuerySchema,
  PlugSchema,
  PlayQuerySchema,
  CopyWishSchema,
  DoneSchema,
  EngineStateSchema,
  InsertSchema,
  JobLogSchema,
  NameArchiveSchema,
  OutputListSchema,
  OutputSchema,
  QueueSettingsSchema,
  ReadingResultSchema,
  ReadingTaskSchema,
  ReproveSchema,
  ScanResultSchema,
  ScanSchema,
  SoundSchema,
  StartReadingSchema,
  SubmitJobSchema,
  SubmittedSchema,
} from './api';
import { CompareWishSchema, LookSchema, MeasureWishSchema, OpenLookSchema, PreviewQuerySchema, SheetSchema, SheetWishSchema } from './look';
import { CardQuerySchema, CardTextSchema, CardsSchema, KeepCardSchema } from './card';
import { ChecksSchema, FixityScheduleSchema } from './fixity';
import { BagStateSchema, BagWishSchema } from './bag';
import { DiscFolderStateSchema } from './disc-folder';
import { DiscImageStateSchema, GoOnImageSchema, ImageDetailSchema, TakeImageSchema } from './disc-image';
import { KeptReadingSchema, OutcomesQuerySchema, OutcomesSchema, StandingWishSchema } from './standing';
import { EmptyTrashSchema, TrashSchema } from './trash';
import { ReadTextWishSchema } from './reading-text';
import { RehearsalWishSchema, SampleSchema, TrialWishSchema } from './rehearsal';

/** A way into the engine. `:id` stands for one path part; a stream is handed on as it comes. */
export interface Route {
  readonly method: 'GET' | 'POST' | 'DELETE';
  readonly path: string;
  readonly body: z.ZodType | null;
  /** What stands behind the path; null where nothing is asked for there. */
  readonly query: z.ZodType | null;
  readonly response: z.ZodType | 'stream';
}

const route = <B extends z.ZodType | null, R extends z.ZodType | 'stream'>(
  method: Route['method'],
  path: string,
  body: B,
  response: R,
) => ({
  method,
  path,
  body,
  response,
  query: null,
});
/** A route that something is asked of behind its path. */
const asking = <R extends z.ZodType | 'stream', Q extends z.ZodType>(path: string, response: R, query: Q) => ({
  method: 'GET' as const,
  path,
  body: null,
  response,
  query,
});

/** All of them: the route handlers, the engine and the browser's calls are checked against this one table. */
export const ROUTES = {
  state: route('GET', '/state', null, EngineStateSchema),
  events: route('GET', '/events', null, 'stream'),
  nameArchive: route('POST', '/archive', NameArchiveSchema, DoneSchema),
  browse: asking('/browse', BrowseResultSchema, BrowseQuerySchema),
  sound: asking('/sound', SoundSchema, PlaceQuerySchema),
  startReading: route('POST', '/readings', StartReadingSchema, ReadingTaskSchema),
  scan: route('POST', '/scan', ScanSchema, ScanResultSchema),
  reading: route('GET', '/readings/:id', null, ReadingResultSchema),
  cancelReading: route('DELETE', '/readings/:id', null, DoneSchema),
  insert: route('POST', '/drives/:id/insert', InsertSchema, DoneSchema),
  load: route('POST', '/drives/:id/load', null, DoneSchema),
  /** Out of a simulated drive, in the middle of reading. */
  pull: route('POST', '/drives/:id/pull', null, DoneSchema),
  eject: route('POST', '/drives/:id/eject', null, DoneSchema),
  /** A simulated share is unplugged, or plugged in again. */
  plugStorage: route('POST', '/storages/:id/plug', PlugSchema, DoneSchema),
  /** The user says that what is there now is this library. */
  takeStorage: route('POST', '/storages/:id/take', null, DoneSchema),
  /** An image of a whole disc, into the library. */
  takeImage: route('POST', '/images', TakeImageSchema, DiscImageStateSchema),
  goOnImage: route('POST', '/images/:id/go-on', GoOnImageSchema, DoneSchema),
  stopImage: route('POST', '/images/:id/stop', null, DoneSchema),
  /** One that is not finished is given up. */
  discardImage: route('DELETE', '/images/:id', null, DoneSchema),
  image: route('GET', '/images/:id', null, ImageDetailSchema),
  /** The files of an image, as a folder of the library. */
  makeFolder: route('POST', '/images/:id/folder', null, DiscFolderStateSchema),
  stopFolder: route('POST', '/folders/:id/stop', null, DoneSchema),
  /** What is done with discs that come, without anybody asking. */
  setStanding: route('POST', '/standing', StandingWishSchema, DoneSchema),
  standingOutcomes: asking('/standing/outcomes', OutcomesSchema, OutcomesQuerySchema),
  standingReading: route('GET', '/standing/readings/:id', null, KeptReadingSchema),
  /** What the catalogue says of discs, as the library has it. */
  cards: route('GET', '/cards', null, CardsSchema),
  card: asking('/cards/:id', CardTextSchema, CardQuerySchema),
  keepCard: route('POST', '/cards/:id', KeepCardSchema, DoneSchema),
  submitJob: route('POST', '/jobs', SubmitJobSchema, SubmittedSchema),
  cancelJob: route('POST', '/jobs/:id/cancel', null, DoneSchema),
  retryJob: route('POST', '/jobs/:id/retry', null, DoneSchema),
  /** Tried again with other recipes, or to another place. */
  changeJob: route('POST', '/jobs/:id/change', ChangeSchema, DoneSchema),
  /** Tried again with what there is, where the disc is not whole. */
  goAroundJob: route('POST', '/jobs/:id/around', null, DoneSchema),
  /** The same for many at once, and what concerns their order and time. */
  arrange: route('POST', '/queue/jobs', ArrangeSchema, ArrangedSchema),
  setQueue: route('POST', '/queue', QueueSettingsSchema, DoneSchema),
  forgetJob: route('DELETE', '/jobs/:id', null, DoneSchema),
  jobLog: route('GET', '/jobs/:id/log', null, JobLogSchema),
  outputs: asking('/outputs', OutputListSchema, PageQuerySchema),
  output: route('GET', '/outputs/:id', null, OutputSchema),
  reprove: route('POST', '/outputs/:id/prove', null, ReproveSchema),
  /** All that is in the vault is read, and compared with its sidecars. */
  beginCheck: route('POST', '/fixity/begin', null, DoneSchema),
  stopCheck: route('POST', '/fixity/stop', null, DoneSchema),
  scheduleChecks: route('POST', '/fixity', FixityScheduleSchema, DoneSchema),
  checks: route('GET', '/outputs/:id/checks', null, ChecksSchema),
  /** A result is set aside, with all that belongs to it. */
  discard: route('POST', '/outputs/:id/discard', null, DoneSchema),
  trash: route('GET', '/trash', null, TrashSchema),
  putBack: route('POST', '/trash/:id/back', null, DoneSchema),
  /** For good. */
  emptyTrash: route('POST', '/trash/empty', EmptyTrashSchema, DoneSchema),
  makeBag: route('POST', '/bags', BagWishSchema, BagStateSchema),
  stopBag: route('POST', '/bags/:id/stop', null, DoneSchema),
  /** Copies of a master, without its disc. */
  makeCopies: route('POST', '/outputs/:id/copies', CopyWishSchema, SubmittedSchema),
  play: asking('/outputs/:id/play', 'stream', PlayQuerySchema),
  openLook: route('POST', '/looks', OpenLookSchema, LookSchema),
  sheet: route('POST', '/looks/:id/sheet', SheetWishSchema, SheetSchema),
  preview: asking('/looks/:id/play', 'stream', PreviewQuerySchema),
  measure: route('POST', '/looks/:id/measure', MeasureWishSchema, 'stream'),
  compareTracks: route('POST', '/looks/:id/compare', CompareWishSchema, 'stream'),
  /** A moment with a recipe, and ten seconds with it; nothing of it is kept. */
  rehearse: route('POST', '/looks/:id/rehearse', RehearsalWishSchema, 'stream'),
  sample: route('POST', '/looks/:id/sample', RehearsalWishSchema, SampleSchema),
  playSample: route('GET', '/samples/:id', null, 'stream'),
  /** Recipes tried on samples of a title. */
  trial: route('POST', '/looks/:id/trial', TrialWishSchema, 'stream'),
  /** Subtitle pictures read into text. */
  readText: route('POST', '/looks/:id/read-text', ReadTextWishSchema, 'stream'),
} as const satisfies Record<string, Route>;

export type RouteName = keyof typeof ROUTES;

/** Says for which archive a request is meant. */
export const ARCHIVE_HEADER = 'x-archive';

/** Largest body that is read: a submitted job with the reading of the largest disc. */
export const MAX_BODY_BYTES = 7 * 1024 * 1024;

/** Finds the route of a request. @returns its name and the path's identifier, or null. */
export function matchRoute(method: string, path: string): { readonly name: RouteName; readonly id: string } | null {
  const parts = path.split('/').filter(Boolean);
  for (const [name, r] of Object.entries(ROUTES) as [RouteName, Route][]) {
    if (r.method !== method) continue;
    const wanted = r.path.split('/').filter(Boolean);
    if (wanted.length !== parts.length) continue;
    if (!wanted.every((w, i) => w === ':id' || w === parts[i])) continue;
    const id = parts[wanted.indexOf(':id')] ?? '';
    if (wanted.includes(':id') && !/^[A-Za-z0-9._-]{1,128}$/.test(id)) return null;
    return { name, id };
  }
  return null;
}
