import type { IncomingMessage, ServerResponse } from 'node:http';
import type { z } from 'zod';
import { type EngineState, type ROUTES, type JobSource, type RouteName, type SourceRef, type SubmitJob } from '@/contract';
import { examineAudioFile, requireSameFile } from '@/node/audio-file';
import { APPLICATION } from '@/node/version';
import type { AfterQueue } from './after-queue';
import type { ArchiveIdentity } from './archive';
import { orderCopies } from './copies';
import type { Bags } from './bags';
import type { Cards } from './cards';
import type { DeviceDrives } from './device-drives';
import type { DiscFolders } from './disc-folders';
import type { DiscImages } from './disc-images';
import type { Drives } from './drives';
import type { Encoders } from './encoders';
import type { Fixity } from './fixity';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import type { Jobs } from './jobs';
import type { Looks } from './looks';
import { ENCODE_LANES } from './lanes';
import type { Outputs } from './outputs';
import type { PaceBook } from './pace-book';
import { play } from './play';
import type { Players } from './players';
import type { QueueRules } from './queue-rules';
import type { Readings } from './readings';
import type { Rehearsals } from './rehearsals';
import type { Roots } from './roots';
import type { StandingOrder } from './standing-order';
import type { Storages } from './storages';
import type { Trash } from './trash';
import { streamEvents } from './stream-events';

export interface EngineParts {
  readonly archive: ArchiveIdentity;
  readonly hub: Hub;
  readonly roots: Roots;
  readonly storages: Storages;
  readonly drives: Drives;
  readonly devices: DeviceDrives;
  readonly readings: Readings;
  readonly looks: Looks;
  readonly jobs: Jobs;
  readonly rules: QueueRules;
  readonly pace: PaceBook;
  readonly after: AfterQueue;
  readonly commands: EngineState['commands'];
  readonly outputs: Outputs;
  readonly players: Players;
  readonly fixity: Fixity;
  readonly images: DiscImages;
  readonly standing: StandingOrder;
  readonly bags: Bags;
  readonly trash: Trash;
  readonly cards: Cards;
  readonly folders: DiscFolders;
  readonly helpers: Helpers;
  readonly encoders: Encoders;
  readonly rehearsals: Rehearsals;
  readonly resolve: (ref: SourceRef) => Promise<JobSource>;
}

type Routes = typeof ROUTES;
type Parsed<S> = S extends z.ZodType ? z.output<S> : null;

/** A request as its route has agreed to it. */
export interface Asked<N extends RouteName> {
  readonly id: string;
  readonly body: Parsed<Routes[N]['body']>;
  readonly query: Parsed<Routes[N]['query']>;
  /** Raised when the page goes away. */
  readonly signal: AbortSignal;
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
}

/** What a route answers with; `null` where the handler itself has answered, with a stream. */
type Answer<N extends RouteName> = Routes[N]['response'] extends z.ZodType ? z.input<Routes[N]['response']> : null;

export type Handlers = { readonly [N in RouteName]: (parts: EngineParts, asked: Asked<N>) => Answer<N> | Promise<Answer<N>> };

const done = { ok: true } as const;

/** Takes a job into the queue, with everything that it names resolved inside the configured folders. */
async function submit({ jobs, roots, resolve }: EngineParts, wish: SubmitJob) {
  const files: string[] = [];
  for (const { source } of wish.reel.addedAudio ?? []) {
    const file = await roots.file(source.root, source.path);
    await requireSameFile(file, source);
    files.push(file);
  }
  return jobs.submit(wish, await resolve(wish.source), files);
}

/** One line a route: what it asks of which part. Bodies and queries are checked before they come here. */
export const HANDLERS: Handlers = {
  state: ({
    archive,
    hub,
    roots,
    storages,
    drives,
    readings,
    jobs,
    rules,
    pace,
    after,
    commands,
    outputs,
    fixity,
    images,
    standing,
    bags,
    folders,
    encoders,
  }) => ({
    boot: hub.boot,
    archive: archive.current,
    version: APPLICATION,
    revision: hub.revision,
    drives: drives.states(),
    roots: roots.states(),
    storages: storages.states(),
    readings: readings.states(),
    jobs: jobs.states(),
    queue: rules.current,
    usualEncodeLanes: ENCODE_LANES,
    pace: pace.current,
    after: after.state,
    commands,
    outputs: outputs.lastCount,
    fixity: fixity.state,
    images: images.states(),
    standing: standing.state,
    bags: bags.states,
    folders: folders.states,
    encoders: [...encoders.states],
  }),
  events: ({ hub }, { request, response }) => {
    streamEvents(hub, request, response);
    return null;
  },
  nameArchive: ({ archive, hub }, { body }) => {
    hub.send({ type: 'archive', archive: archive.rename(body.name) });
    return done;
  },
  plugStorage: async ({ storages, hub }, { id, body }) => {
    await storages.plug(id, body.plugged);
    hub.send({ type: 'storages', storages: storages.states() });
    return done;
  },
  takeStorage: async ({ storages, hub }, { id }) => {
    await storages.take(id);
    hub.send({ type: 'storages', storages: storages.states() });
    return done;
  },
  browse: async ({ roots }, { query: { root, path, for: purpose } }) => ({
    root,
    path,
    entries: await roots.browse(root, path, purpose === 'sound'),
  }),
  sound: async ({ roots }, { query: { root, path }, signal }) => examineAudioFile(await roots.file(root, path), path, signal),
  startReading: ({ readings }, { body }) => readings.start(body.source, body.thorough),
  scan: async ({ roots, readings }, { body: { root, except } }) => {
    const known = new Set(except);
    const found = (await roots.discsBelow(root)).filter((s) => !known.has(s.path));
    for (const { path } of found) await readings.start({ kind: 'place', root, path });
    return { started: found.length };
  },
  reading: ({ readings }, { id }) => readings.result(id),
  cancelReading: ({ readings }, { id }) => {
    readings.cancel(id);
    return done;
  },
  insert: async ({ drives, looks, readings, standing }, { id, body }) => {
    drives.insert(id, body.disc);
    looks.closeDrive(id);
    // As a disc in a drive of the machine: whether a page is open or not.
    if (standing.isOn) await readings.start({ kind: 'drive', drive: id });
    return done;
  },
  load: async ({ devices }, { id }) => {
    await devices.load(id);
    return done;
  },
  pull: ({ drives, looks }, { id }) => {
    drives.pull(id);
    looks.closeDrive(id);
    return done;
  },
  eject: async ({ drives, looks }, { id }) => {
    await drives.eject(id);
    looks.closeDrive(id);
    return done;
  },
  takeImage: ({ images }, { body }) => images.take(body),
  goOnImage: async ({ images }, { id, body }) => {
    await images.goOn(id, body.source, body.retries);
    return done;
  },
  stopImage: async ({ images }, { id }) => {
    await images.stop(id);
    return done;
  },
  discardImage: async ({ images }, { id }) => {
    await images.discard(id);
    return done;
  },
  image: async ({ images, fixity }, { id }) => ({ ...(await images.detail(id)), checks: await fixity.ofImage(id) }),
  makeFolder: ({ folders }, { id }) => folders.make(id),
  stopFolder: ({ folders }, { id }) => {
    folders.stop(id);
    return done;
  },
  setStanding: ({ standing }, { body }) => {
    standing.set(body.settings);
    return done;
  },
  standingOutcomes: ({ standing }, { query }) => ({ outcomes: standing.outcomes(query.after) }),
  standingReading: ({ standing }, { id }) => standing.reading(id),
  cards: async ({ cards }) => ({ cards: await cards.list() }),
  card: async ({ cards }, { id, query }) => ({ text: await cards.text(id, query.storage) }),
  keepCard: async ({ cards }, { id, body }) => {
    await cards.keep(id, body.storage, body.text);
    return done;
  },
  submitJob: (parts, { body }) => submit(parts, body),
  cancelJob: async ({ jobs }, { id }) => {
    await jobs.cancel(id);
    return done;
  },
  retryJob: async ({ jobs }, { id }) => {
    await jobs.retry(id);
    return done;
  },
  changeJob: async ({ jobs }, { id, body }) => {
    await jobs.change(id, body);
    return done;
  },
  goAroundJob: async ({ jobs }, { id }) => {
    await jobs.retry(id, true);
    return done;
  },
  arrange: ({ jobs }, { body }) => jobs.arrange(body),
  setQueue: async ({ jobs, rules, after, hub }, { body }) => {
    const before = rules.current.after;
    rules.change(body);
    after.chosen(before);
    hub.send({ type: 'queue', queue: rules.current });
    await jobs.look();
    return done;
  },
  forgetJob: async ({ jobs }, { id }) => {
    await jobs.forget(id);
    return done;
  },
  jobLog: ({ jobs }, { id }) => jobs.log(id),
  outputs: ({ outputs }, { query }) => outputs.list(query.from),
  output: async ({ outputs }, { id }) => outputs.looked(id),
  reprove: ({ outputs }, { id, signal }) => outputs.prove(id, signal),
  beginCheck: ({ fixity }) => {
    fixity.begin();
    return done;
  },
  stopCheck: async ({ fixity }) => {
    await fixity.stop();
    return done;
  },
  scheduleChecks: ({ fixity }, { body }) => {
    fixity.schedule(body.everyDays);
    return done;
  },
  checks: async ({ fixity }, { id }) => ({ checks: await fixity.of(id) }),
  discard: async ({ trash }, { id }) => {
    await trash.discard(id);
    return done;
  },
  trash: ({ trash }) => ({ entries: trash.list() }),
  putBack: async ({ trash }, { id }) => {
    await trash.putBack(id);
    return done;
  },
  emptyTrash: ({ trash }, { body }) => {
    trash.empty(body.ids);
    return done;
  },
  makeBag: ({ bags }, { body }) => bags.make(body),
  stopBag: ({ bags }, { id }) => {
    bags.stop(id);
    return done;
  },
  makeCopies: (parts, { id, body, signal }) => orderCopies(parts, id, body, signal),
  play: async ({ outputs, players }, { id, query, request, response }) => {
    const { file, output } = await outputs.find(id);
    await play(file, output, query, request, response, players);
    return null;
  },
  openLook: ({ looks }, { body }) => looks.open(body),
  sheet: async ({ looks }, { id, body, signal }) => ({ pictures: await looks.sheet(id, body, signal) }),
  preview: async ({ looks }, { id, query, response }) => {
    await looks.play(id, query, response);
    return null;
  },
  measure: async ({ looks }, { id, body, response }) => {
    await looks.measure(id, body, response);
    return null;
  },
  compareTracks: async ({ looks }, { id, body, response }) => {
    await looks.compareTracks(id, body, response);
    return null;
  },
  rehearse: async ({ rehearsals }, { id, body, response }) => {
    await rehearsals.still(id, body, response);
    return null;
  },
  sample: ({ rehearsals }, { id, body, signal }) => rehearsals.sample(id, body, signal),
  playSample: async ({ rehearsals }, { id, request, response }) => {
    await rehearsals.play(id, request, response);
    return null;
  },
  readText: async ({ rehearsals }, { id, body, response }) => {
    await rehearsals.readText(id, body, response);
    return null;
  },
  trial: async ({ rehearsals }, { id, body, response }) => {
    await rehearsals.trial(id, body, response);
    return null;
  },
};
