import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { readdir, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { RescueMap, wornShare } from '@/core/rescue';
import { safeFileName } from '@/core/reels';
import {
  CELL_STATES,
  IMAGE_CELLS,
  IMAGE_FOLDER,
  ProblemError,
  WorkError,
  imageRoot,
  toProblem,
  type CellState,
  type DiscImageState,
  type ImageDetail,
  type ImageProgress,
  type ImageRecord,
  type JobSource,
  type Problem,
  type SourceRef,
  type TakeImage,
} from '@/contract';
import { imageFiles, isImageable, readImageRecord, unfinishedImage, type DiscSource, type ImageFiles } from '@/node/disc-image';
import { makeFolderDurably } from '@/node/durable';
import { readMap } from '@/node/image-map';
import { requireStorage } from '@/node/library';
import { placeFinished, realDisk } from '@/node/placing';
import { WORKSHOP, holdStorage, type MarkedStorage } from '@/node/storage-mark';
import type { Drives } from './drives';
import type { Helpers } from './helpers';
import type { Hub } from './hub';
import type { Storages } from './storages';

interface Around {
  readonly storages: Pick<Storages, 'known' | 'states'>;
  readonly drives: Pick<Drives, 'use' | 'spunUp' | 'states'>;
  readonly helpers: Pick<Helpers, 'run'>;
  readonly hub: Pick<Hub, 'send'>;
  readonly resolve: (ref: SourceRef) => Promise<JobSource>;
  /** An image has got its name. */
  readonly placed: (ref: SourceRef) => Promise<void>;
}

interface Work {
  readonly controller: AbortController;
  progress: ImageProgress | null;
  isFinishing: boolean;
  ended: Promise<void>;
}

/** An image as it stands in a library. */
interface Found {
  readonly id: string;
  readonly storage: string;
  readonly name: string;
  readonly files: ImageFiles;
  readonly isPlaced: boolean;
}

/** A finished image, as a check needs it. */
export interface KeptImage {
  readonly id: string;
  readonly storage: string;
  /** Of the storage. */
  readonly root: string;
  /** Inside the storage. */
  readonly path: string;
  readonly digest: string;
  readonly sizeBytes: number;
}

/** Folder of a storage's workshop that unfinished images stand in. */
const UNFINISHED = 'images';
const MOST_LISTED = 2000;
const ENDING = '.iso';
const RECORD_ENDING = '.record';
const TELL_MS = 300;

const idOf = (storage: string, name: string): string => createHash('sha256').update(`${storage}/${name}`).digest('hex').slice(0, 20);

/** Images of whole discs: taken into a library, gone on with at any time, and read from there when they are finished. */
export class DiscImages {
  private readonly works = new Map<string, Work>();
  private readonly problems = new Map<string, Problem>();
  private readonly seen = new Map<string, { readonly stamp: string; readonly state: DiscImageState }>();
  private found: readonly DiscImageState[] = [];
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly around: Around) {}

  /** As they were when they were last looked at, with what is being done now. */
  states(): DiscImageState[] {
    return this.found.map((state) => this.withWork(state));
  }

  private withWork(state: DiscImageState): DiscImageState {
    const work = this.works.get(state.id);
    const problem = this.problems.get(state.id) ?? null;
    if (!work) return { ...state, problem };
    const { progress } = work;
    return {
      ...state,
      state: work.isFinishing ? 'finishing' : 'taking',
      readBytes: progress?.readBytes ?? state.readBytes,
      lostBytes: progress?.lostBytes ?? state.lostBytes,
      progress,
      problem: null,
    };
  }

  private tell(): void {
    this.timer ??= setTimeout(() => {
      this.timer = null;
      this.around.hub.send({ type: 'images', images: this.states() });
    }, TELL_MS);
  }

  /** Looks through the libraries. */
  async look(): Promise<void> {
    const all: DiscImageState[] = [];
    for (const found of await this.all()) all.push(await this.stateAt(found));
    // One that has only just begun has written nothing yet.
    for (const state of this.found) if (this.works.has(state.id) && !all.some((i) => i.id === state.id)) all.push(state);
    const changed = JSON.stringify(all) !== JSON.stringify(this.found);
    this.found = all;
    if (changed) this.tell();
  }

  /** Maps are read again only when they have changed. */
  private async stateAt(found: Found): Promise<DiscImageState> {
    const stamps = [found.files.map, found.files.record].map((file) => realDisk.stamp(file));
    const stamp = JSON.stringify([stamps, found.isPlaced]);
    const before = this.seen.get(found.id);
    if (before?.stamp === stamp) return before.state;
    const state = await stateOf(found, readImageRecord(found.files.record));
    this.seen.set(found.id, { stamp, state });
    return state;
  }

  private async all(): Promise<Found[]> {
    const all: Found[] = [];
    for (const { id: storage, path: storagePath, identity } of this.around.storages.states()) {
      if (identity !== 'known') continue;
      const unfinished = path.join(storagePath, WORKSHOP, UNFINISHED);
      for (const name of await readdir(unfinished).catch(() => [])) {
        const files = unfinishedImage(path.join(unfinished, name));
        if (existsSync(files.record)) all.push({ id: idOf(storage, name), storage, name, files, isPlaced: false });
        // Placed, and ended before it was tidied up.
        else if (!this.works.has(idOf(storage, name)) && !existsSync(files.image))
          await rm(path.join(unfinished, name), { recursive: true });
      }
      const folder = path.join(storagePath, IMAGE_FOLDER);
      for (const file of await readdir(folder).catch(() => [])) {
        const files = imageFiles(path.join(folder, file));
        if (!file.toLowerCase().endsWith(ENDING) || !existsSync(files.map)) continue;
        const name = file.slice(0, -ENDING.length);
        all.push({ id: idOf(storage, name), storage, name, files, isPlaced: true });
      }
    }
    return all.slice(0, MOST_LISTED);
  }

  /** Finished images, and what they are to be by their records; those whose files are gone too. None that is being changed now. */
  async kept(): Promise<KeptImage[]> {
    const kept: KeptImage[] = [];
    for (const { id: storage, path: root, identity } of this.around.storages.states()) {
      const folder = path.join(root, IMAGE_FOLDER);
      for (const entry of identity === 'known' ? await readdir(folder).catch(() => []) : []) {
        if (!entry.endsWith(ENDING + RECORD_ENDING)) continue;
        const name = entry.slice(0, -(ENDING + RECORD_ENDING).length);
        const image = this.keptAt(storage, root, name);
        if (image) kept.push(image);
      }
    }
    return kept;
  }

  private keptAt(storage: string, root: string, name: string): KeptImage | null {
    const id = idOf(storage, name);
    const inside = path.join(IMAGE_FOLDER, name + ENDING);
    const record = readImageRecord(imageFiles(path.join(root, inside)).record);
    if (record === null || record.digest === null || this.works.has(id)) return null;
    return { id, storage, root, path: inside, digest: record.digest, sizeBytes: record.sizeBytes };
  }

  /** Nothing was done with it since. */
  isStill({ storage, root, path: inside, digest }: KeptImage): boolean {
    return this.keptAt(storage, root, path.basename(inside, ENDING))?.digest === digest;
  }

  private async find(id: string): Promise<Found> {
    const found = (await this.all()).find((f) => f.id === id);
    if (!found) throw new WorkError('not-known', 'There is no such image');
    return found;
  }

  /**
   * Begins an image. @throws WorkError `name-taken`, `drive-busy`, `bad-request`, and those of storages and sources.
   */
  async take({ source: ref, storage, name: wished, fill, retries }: TakeImage): Promise<DiscImageState> {
    const source = await this.imageable(ref);
    const marked = await this.around.storages.known(storage);
    const name = safeFileName(wished);
    const id = idOf(storage, name);
    if (this.works.has(id) || (await this.all()).some((f) => f.storage === storage && f.name.toLowerCase() === name.toLowerCase()))
      throw new WorkError('name-taken', `“${marked.name}” already has an image “${name}”`);
    if (existsSync(path.join(marked.path, IMAGE_FOLDER, name + ENDING)))
      throw new WorkError('name-taken', `“${marked.name}” already has a file ${name}${ENDING}`);
    const bytes = source.kind === 'image' ? (await stat(source.path)).size : 0;
    await requireStorage(marked, { all: bytes, largest: bytes });
    const folder = path.join(marked.path, WORKSHOP, UNFINISHED, name);
    const found: Found = { id, storage, name, files: unfinishedImage(folder), isPlaced: false };
    const label = source.kind === 'drive' ? (this.around.drives.states().find((d) => d.id === source.drive)?.disc ?? name) : name;
    this.found = [...this.found, { ...(await stateOf(found, emptyRecord(label, fill))), state: 'taking' }];
    makeFolderDurably(folder);
    this.begin(found, source, marked, { label, fill, retries });
    return this.states().find((s) => s.id === id) as DiscImageState;
  }

  /** Goes on with one that is stopped or has gaps, from its disc or another copy of it. @throws WorkError. */
  async goOn(id: string, ref: SourceRef, retries: number): Promise<void> {
    const found = await this.find(id);
    if (this.works.has(id)) throw new WorkError('bad-request', 'It is being taken already');
    const marked = await this.around.storages.known(found.storage);
    const source = await this.imageable(ref);
    if (source.path === found.files.image) throw new WorkError('bad-request', 'An image can not be gone on with from itself');
    const record = readImageRecord(found.files.record);
    this.begin(found, source, marked, { label: record?.label ?? found.name, fill: record?.fill ?? 'zeroes', retries });
  }

  private async imageable(ref: SourceRef): Promise<DiscSource> {
    const source = await this.around.resolve(ref);
    if (!isImageable(source)) throw new WorkError('bad-request', 'An image is taken of a disc, not of files');
    if (source.kind !== 'drive') return source;
    const drive = this.around.drives.states().find((d) => d.id === source.drive);
    if (drive?.state === 'reading' || drive?.state === 'spinning up')
      throw new WorkError('drive-busy', `${drive.name} is being read: let that end, or stop it`);
    return source;
  }

  private begin(
    found: Found,
    source: DiscSource,
    storage: MarkedStorage,
    how: { readonly label: string; readonly fill: ImageRecord['fill']; readonly retries: number },
  ): void {
    const work: Work = { controller: new AbortController(), progress: null, isFinishing: false, ended: Promise.resolve() };
    this.works.set(found.id, work);
    this.problems.delete(found.id);
    this.tell();
    work.ended = this.run(found, source, storage, how, work).finally(async () => {
      await this.look();
      this.works.delete(found.id);
      this.tell();
    });
    work.ended.catch(() => undefined);
  }

  private async run(
    found: Found,
    source: DiscSource,
    storage: MarkedStorage,
    how: { readonly label: string; readonly fill: ImageRecord['fill']; readonly retries: number },
    work: Work,
  ): Promise<void> {
    const use = source.kind === 'drive' ? this.around.drives.use(source.drive) : null;
    try {
      const order = { kind: 'take image' as const, source, spunUp: use?.spunUp ?? true, files: found.files, ...how };
      await this.around.helpers.run(order, work.controller.signal, (line) => {
        if (line.type === 'opened' && source.kind === 'drive') this.around.drives.spunUp(source.drive);
        if (line.type === 'taking') work.progress = line.progress;
        if (line.type === 'finishing') {
          work.isFinishing = true;
          use?.done(); // the disc is needed no more
        }
        this.tell();
      });
      await this.place(found, storage, true);
    } catch (error) {
      const problem = error instanceof ProblemError ? error.problem : toProblem(error);
      if (problem.code !== 'cancelled') this.problems.set(found.id, problem);
    } finally {
      use?.done();
    }
  }

  /** Gives an image that is finished its name; one that has it already is only read anew. @param isJustHashed the digest of the record is of a moment ago. */
  private async place({ name, files, isPlaced, storage: id }: Found, storage: MarkedStorage, isJustHashed = false): Promise<void> {
    const placed = imageFiles(path.join(IMAGE_FOLDER, name + ENDING));
    if (!isPlaced) {
      const held = await holdStorage(storage);
      try {
        const inside = (file: string) => path.join(held.path, path.relative(storage.path, file));
        const to = (file: string) => path.join(held.path, file);
        const { digest, sizeBytes } = readImageRecord(files.record) ?? { digest: null, sizeBytes: 0 };
        if (digest === null) throw new WorkError('work-lost', 'The record of the image does not say that it is finished');
        const file = (from: string, target: string, digest: string, isKnown: boolean) => {
          const stamp = realDisk.stamp(inside(from));
          return {
            from: inside(from),
            to: to(target),
            sizeBytes: stamp?.sizeBytes ?? sizeBytes,
            digest: digest,
            stamp: isKnown ? stamp : null,
            sidecar: null,
          };
        };
        // The image last: whoever sees it finds its map beside it.
        const finished = [
          file(files.map, placed.map, '', true),
          file(files.record, placed.record, '', true),
          file(files.image, placed.image, digest, isJustHashed),
        ];
        await placeFinished(
          finished,
          inside(path.dirname(files.image)),
          () => 'other',
          () => undefined,
        );
        await rm(inside(path.dirname(files.image)), { recursive: true, force: true });
      } finally {
        held.release();
      }
    }
    await this.around.placed({ kind: 'place', root: imageRoot(id), path: name + ENDING });
  }

  /** Those that were finished, and not given their names before the engine ended, get them now. */
  async start(): Promise<void> {
    for (const found of await this.all())
      if (!found.isPlaced && readImageRecord(found.files.record)?.digest)
        await this.around.storages
          .known(found.storage)
          .then((storage) => this.place(found, storage))
          .catch((error: unknown) => this.problems.set(found.id, toProblem(error)));
    await this.look();
  }

  async stop(id: string): Promise<void> {
    const work = this.works.get(id);
    work?.controller.abort();
    await work?.ended;
  }

  async discard(id: string): Promise<void> {
    await this.stop(id);
    const found = await this.find(id);
    if (found.isPlaced) throw new WorkError('bad-request', 'This image is finished: it stays');
    await rm(path.dirname(found.files.image), { recursive: true, force: true });
    this.problems.delete(id);
    await this.look();
  }

  async detail(id: string): Promise<ImageDetail> {
    const found = await this.find(id);
    const size = (await stat(found.files.image)).size;
    const map = (await readMap(found.files.map, size)) ?? RescueMap.untouched(size);
    const gaps = map.gaps(0, size);
    return {
      record: readImageRecord(found.files.record) ?? {
        ...emptyRecord(found.name, 'zeroes'),
        sizeBytes: size,
        lostBytes: size - map.bytesOf('read'),
      },
      cells: cellsOf(map),
      gaps: gaps.slice(0, 100).map((g) => [g.from, g.to - g.from]),
      gapCount: gaps.length,
      checks: [],
    };
  }

  stopAll(): void {
    for (const work of this.works.values()) work.controller.abort();
  }
}

const emptyRecord = (label: string, fill: ImageRecord['fill']): ImageRecord => ({
  ...{ version: 1, application: '', label, sizeBytes: 0, fill, sources: [], curve: [], lostBytes: 0, digest: null, fingerprint: null },
});

async function stateOf({ id, storage, name, files, isPlaced }: Found, record: ImageRecord | null): Promise<DiscImageState> {
  const sizeBytes = record?.sizeBytes ?? (await stat(files.image).catch(() => null))?.size ?? 0;
  const map = await readMap(files.map, sizeBytes).catch(() => null);
  const readBytes = map?.bytesOf('read') ?? 0;
  return {
    id,
    storage,
    name,
    label: record?.label ?? name,
    state: isPlaced && (record === null || record.digest !== null) ? (readBytes === sizeBytes ? 'whole' : 'with gaps') : 'stopped',
    sizeBytes,
    readBytes,
    lostBytes: map?.bytesOf('unreadable', 'edge not found', 'not searched') ?? 0,
    progress: null,
    problem: null,
    fingerprint: record?.fingerprint ?? null,
    worn: record && record.curve.length > 0 ? wornShare(record.curve) : null,
    copies: new Set(record?.sources.filter((s) => s.bytes > 0).map((s) => s.name)).size,
  };
}

/** The worst that each of equal stretches holds. */
function cellsOf(map: RescueMap): CellState[] {
  const cells = Array.from({ length: IMAGE_CELLS }, () => 0);
  const size = Math.max(1, map.sizeBytes);
  for (const { from, to, state } of map.all) {
    const rank = CELL_STATES.indexOf(state === 'edge not found' || state === 'not searched' ? 'looked for' : state);
    const last = Math.min(IMAGE_CELLS - 1, Math.ceil((to / size) * IMAGE_CELLS) - 1);
    for (let i = Math.floor((from / size) * IMAGE_CELLS); i <= last; i++) cells[i] = Math.max(cells[i] ?? 0, rank);
  }
  return cells.map((rank) => CELL_STATES[rank] ?? 'read');
}
