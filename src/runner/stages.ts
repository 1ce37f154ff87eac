import { rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { planPiece, type PacketStream } from '@/core/assembly';
import { PAYLOAD_HASH, algorithmOf, proveCopy, type CopyExpectation, type Proof, type MasterPromise } from '@/core/proof';
import { faultText, lacksLayer, lengthText, type Wholeness } from '@/core/reading';
import { TrackHashes, writeMaster } from '@/core/master';
import type { MatroskaSink } from '@/core/matroska';
import { SECTOR_BYTES } from '@/core/volume';
import {
  MASTER,
  PIECE_MS,
  endingsOf,
  expectationOf,
  planEncode,
  recipesById,
  type EncodePlan,
  type FileTags,
  type Recipe,
  type RecipeId,
} from '@/core/recipes';
import { encodeFacts, estimateReel, type AddedAudio } from '@/core/reels';
import {
  SIDECAR_VERSION,
  SidecarSchema,
  WorkError,
  placeOf,
  storagesOf,
  toProblem,
  type BesideResult,
  type Job,
  type Outcome,
  type Sidecar,
  type Stage,
} from '@/contract';
import { openAddedSound, requireSameFile } from '@/node/audio-file';
import { encodeCopy } from '@/node/encode-pieces';
import { brightnessFigures, examineCopy, ffmpegVersion, probeShape } from '@/node/ffmpeg';
import { fasterDigest } from '@/node/hash';
import { createPayloadHash, fastCrc32 } from '@/node/payload-hash';
import { flushFile } from '@/node/durable';
import { makeWorkshop, openFileSink, removeWorkshop, workshopOf } from '@/node/library';
import { forgetIntent, placeFinished, realDisk, type FileStamp, type Finished, type Whose } from '@/node/placing';
import { nearnessToMaster } from '@/node/outcome';
import { openSource, requireSame } from '@/node/open-source';
import { OtherEyePicture } from '@/node/other-eye';
import { digestInThread, proveMasterFile } from '@/node/prove-file';
import { sealed } from '@/node/seal';
import { SumsThread } from '@/node/sums-thread';
import { holdStorage, type HeldStorage } from '@/node/storage-mark';
import { APPLICATION } from '@/node/version';
import { BesideSinks, besidePart, besidePath } from './beside';
import { shortProof } from './short-proof';

/** More places than this are not written into the log one by one. */
const MOST_NOTED = 40;

/** What stages need of the job and of their surroundings. */
export interface StageContext {
  readonly job: Job;
  readonly signal: AbortSignal;
  readonly progress: (stage: Stage, done: number, total: number, unit: 'bytes' | 'ms') => void;
  readonly note: (text: string) => void;
  /** What reading showed of the disc, where it is not whole. */
  readonly found: (wholeness: Wholeness) => void;
}

/** An ending may be nothing but the extension, which is no file name with one. */
const extensionOf = (ending: string): string => ending.slice(ending.lastIndexOf('.'));
const endingOf = (job: Job, recipe: RecipeId): string =>
  endingsOf([...new Set([...job.reel.recipes, recipe])], recipesById(job.copies)).get(recipe) ?? '';
export function finalPath(job: Job, recipe: RecipeId): string {
  const { storage, folder, fileName } = placeOf(job, recipe);
  return path.join(storage.path, folder, fileName + endingOf(job, recipe));
}
export const unfinishedPath = async (job: Job, recipe: RecipeId): Promise<string> =>
  path.join(await makeWorkshop(placeOf(job, recipe).storage, job.id), `${recipe}${extensionOf(endingOf(job, recipe))}.part`);

/** Bytes of a file; null where there is none. */
export const sizeOf = (file: string): Promise<number | null> =>
  stat(file).then(
    (s) => s.size,
    () => null,
  );

/** Is an unfinished file from an earlier attempt still there, as long as it was? */
export async function isStill(job: Job, recipe: RecipeId, bytes: number | null): Promise<boolean> {
  return bytes !== null && (await sizeOf(await unfinishedPath(job, recipe))) === bytes;
}

interface Assembled {
  readonly promise: MasterPromise;
  /** Subtitle files that were made on the way. */
  readonly beside: readonly BesideResult[];
}
/** What a stage that makes a file has made. */
type Made = Assembled & { readonly bytes: number };

/** Says which places of a disc did not come at once, the first of them one by one. */
class RescueNotes {
  private count = 0;
  constructor(private readonly note: (text: string) => void) {}

  readonly add = (from: number, to: number, lost: number): void => {
    if (++this.count > MOST_NOTED) return;
    const [first, last] = [from / SECTOR_BYTES, Math.ceil(to / SECTOR_BYTES) - 1];
    const sectors = Math.ceil(lost / SECTOR_BYTES);
    this.note(
      `sectors ${first} to ${last} did not come at once: ${lost === 0 ? 'all of them came when they were read again' : `${sectors} of them never came`}`,
    );
  };

  end(): void {
    if (this.count > MOST_NOTED) this.note(`and ${this.count - MOST_NOTED} more places that did not come at once`);
  }
}

/** Runs the reel through the assembly into a sink. */
async function assembleInto(context: StageContext, sink: MatroskaSink, thread: SumsThread): Promise<Assembled> {
  const { job, signal } = context;
  const sounds = job.reel.addedAudio ?? [];
  const openAdded = (audio: AddedAudio) => openAddedSound(job.soundFiles[sounds.indexOf(audio)] ?? '', audio, signal);
  for (const [i, sound] of sounds.entries()) await requireSameFile(job.soundFiles[i] ?? '', sound.source);
  const rescued = new RescueNotes(context.note);
  const opened = await openSource(job.source, { blocking: true, signal, onRescued: rescued.add });
  const sinks = new BesideSinks(job);
  let stream: PacketStream | null = null;
  try {
    requireSame(await opened.examine({ signal }), job.reading, job.source.label);
    const hashes = new TrackHashes(thread.createHash);
    const assembly = await opened.assemble(job.reading, job.reel, { signal, tap: hashes.tap });
    stream = assembly;
    const seed = `${job.reading.fingerprint} ${JSON.stringify(job.reel.pieces)}`;
    const common = { application: APPLICATION, seed, createHash: createPayloadHash, crc32: fastCrc32, signal };
    const other = new OtherEyePicture(opened, job.reading, job.reel, common);
    const written = await writeMaster(assembly, hashes, job.reading, job.reel, sink, {
      ...common,
      createHash: thread.createHash,
      openOtherEye: other.open,
      onProgress: (done, total) => {
        context.progress('master', done, total, 'bytes');
      },
      openAdded,
      openBeside: sinks.openBeside,
    });
    const promise = other.add(written);
    return { promise, beside: await sinks.finish(promise, signal, context.note) };
  } catch (error) {
    await sinks.abandon();
    throw error;
  } finally {
    rescued.end();
    await stream?.close();
    await opened.close();
  }
}

/** Stage `master`: the disc's streams into Matroska. */
export async function makeMaster(context: StageContext): Promise<Made> {
  const file = await unfinishedPath(context.job, MASTER);
  const thread = new SumsThread();
  const sink = await openFileSink(file, thread);
  const made = await assembleInto(context, sink, thread)
    // It has the file's descriptor: not before it has ended is that another's.
    .finally(() => thread.close())
    .catch(async (error: unknown) => {
      await sink.abandon();
      throw error;
    });
  await sink.close();
  const { promise } = made;
  for (const [i, track] of promise.tracks.entries()) {
    for (const left of track.left)
      context.note(
        `track ${i + 1} (${track.codecId}): ${left.bytes} bytes in ${left.frames} places left out${left.ms > 0 ? `, ${lengthText(left.ms)}` : ''}: ${left.reason}`,
      );
    if (track.forcedAtMs.length > 0)
      context.note(
        `track ${i + 1} (${track.codecId}): ${track.forcedAtMs.length} of ${track.packets} subtitles are forced, the first at ${Math.round((track.forcedAtMs[0] ?? 0) / 1000)} s`,
      );
    if (track.irregularities)
      context.note(`track ${i + 1} (${track.codecId}): the disc's time stamps jump at ${track.irregularities} places`);
  }
  noteTwins(promise, context.note);
  noteWholeness(promise, context);
  return { ...made, bytes: (await stat(file)).size };
}

/** What the disc had to say of itself, and every place where it is not whole. */
function noteWholeness({ wholeness }: MasterPromise, { note, found }: StageContext): void {
  if (!wholeness) return;
  const { packs, navigationPacks, cells, playItems, entryPoints } = wholeness.witnesses;
  const seen = [
    [packs, 'packs'],
    [navigationPacks, 'navigation packs'],
    [cells, 'cells'],
    [playItems, 'stretches of clips'],
    [entryPoints, 'entry points'],
  ] as const;
  note(`compared with the disc: ${seen.flatMap(([n, what]) => (n > 0 ? [`${n.toLocaleString('en-GB')} ${what}`] : [])).join(', ')}`);
  for (const fault of wholeness.faults.slice(0, MOST_NOTED)) note(faultText(fault));
  if (wholeness.faults.length > MOST_NOTED) note(`and ${wholeness.faults.length - MOST_NOTED} more places`);
  if (wholeness.count > 0) found(wholeness);
}

/** Tracks that turned out to be the same sound, byte for byte: the disc's tables may call them by different languages. */
function noteTwins(promise: MasterPromise, note: (text: string) => void): void {
  promise.tracks.forEach((track, i) => {
    const twin = promise.tracks.findIndex((t) => t.kind === 'audio' && t.hash === track.hash && t.bytes > 0);
    if (track.kind === 'audio' && twin >= 0 && twin < i) note(`track ${i + 1} is the same as track ${twin + 1}, byte for byte`);
  });
}

/** @throws WorkError `proof-failed`, `copy-failed`: nothing of it reaches the library. */
function requireProof(proof: Proof, what: string, code: 'proof-failed' | 'copy-failed'): void {
  if (!proof.passed) throw new WorkError(code, `The ${what} is not what was promised: ${shortProof(proof)}`);
}

/** A proof, and the file as it was while it was proven. */
interface Checked {
  readonly proof: Proof;
  readonly digest: string;
  readonly stamp: FileStamp;
}

/** @throws WorkError `proof-failed` where the file is another now than when the proof began. */
function stampOf(file: string, before: FileStamp | null = null): FileStamp {
  const found = realDisk.stamp(file);
  if (!found) throw new WorkError('proof-failed', 'The unfinished file is gone');
  const { inode, sizeBytes, changedMs } = found;
  const stamp = { inode, sizeBytes, changedMs };
  if (before && JSON.stringify(before) !== JSON.stringify(stamp))
    throw new WorkError('proof-failed', 'The file was written to while it was proven');
  return stamp;
}

/** Whether a master is all that its disc has. */
function wholeWord({ wholeness }: MasterPromise): string {
  if (!wholeness) return '';
  if (wholeness.damage > 0) return '; with its gaps';
  return lacksLayer(wholeness) ? '; without the enhancement layer of its picture' : '; all that the disc says there is';
}

/** Stage `master proof`. */
export async function checkMaster(context: StageContext, promise: MasterPromise): Promise<Checked> {
  const file = await unfinishedPath(context.job, MASTER);
  const stamp = stampOf(file);
  const result = await proveMasterFile(file, promise, fasterDigest(), context.signal, {
    onProgress: (done, total) => {
      context.progress('master proof', done, total, 'bytes');
    },
  });
  requireProof(result.proof, 'master', 'proof-failed');
  const { proof } = result;
  const whole = wholeWord(promise);
  context.note(`${proof.identicalTracks} of ${proof.tracks} tracks bit-identical to what was read${whole}`);
  return { proof, digest: result.digest, stamp: stampOf(file, stamp) };
}

/** The recipe of a copy that the job asks for. @throws WorkError `order-lost` where the order does not bring it. */
function recipeOf(job: Job, id: RecipeId): Recipe {
  const recipe = recipesById(job.copies).get(id);
  if (!recipe) throw new WorkError('order-lost', `The order does not say how the copy “${id}” is made`);
  return recipe;
}

/** What is done for a copy. @param master what is known of the stream itself. */
async function planOf(job: Job, recipe: Recipe, master: MasterPromise, signal: AbortSignal): Promise<EncodePlan> {
  const facts = encodeFacts(job.reading, job.reel, master.interlaced ?? null);
  if (!facts) throw new WorkError('bad-request', 'The reel takes a title that its reading does not have');
  const isUsual = facts.video.dynamicRange === 'standard';
  const brightness = isUsual ? null : await brightnessFigures(await masterPath(job), signal);
  return planEncode(recipe, { ...facts, hardware: job.hardware, video: { ...facts.video, brightness } });
}

/** What a file of sound is called: its song, what it is from, and its place there. */
function tagsOf({ reel, reading }: Job): FileTags {
  const [piece, ...more] = reel.pieces;
  const album = reel.tags?.work || reel.tags?.series || reading.label;
  const isChapter = piece && more.length === 0 && !piece.range && piece.fromChapter === piece.toChapter;
  const language = reel.audio[0]?.language ?? null;
  return {
    title: reel.name,
    album,
    ...(isChapter ? { track: String(piece.fromChapter) } : {}),
    ...(language === null ? {} : { language }),
  };
}

/** Film in one piece of a long encode, for whoever wants other ones than usual; the tests do. */
const pieceMs = (): number => Number(process.env['CAREFUL_VAULT_PIECE_SECONDS'] ?? 0) * 1000 || PIECE_MS;

const piecesOf = (job: Job, id: RecipeId): string => path.join(workshopOf(placeOf(job, id).storage.path, job.id), `${id}.pieces`);
/** What was made of a copy goes, with its pieces: it was not what was promised. */
export async function forgetCopy(job: Job, id: RecipeId): Promise<void> {
  await rm(await unfinishedPath(job, id), { force: true });
  await forgetPieces(job, id);
}
/** What there is of a master that is not finished goes. */
export const forgetMaster = async (job: Job): Promise<void> => rm(await unfinishedPath(job, MASTER), { force: true });
/** The copy is flushed, and written down as made: its pieces are needed no more. */
export const forgetPieces = (job: Job, id: RecipeId): Promise<void> => rm(piecesOf(job, id), { recursive: true, force: true });

/** Stage `access`: a copy, encoded from the master that was made and proven before. */
export async function makeCopy(
  context: StageContext,
  id: RecipeId,
  master: MasterPromise,
): Promise<{ readonly bytes: number; readonly expects: CopyExpectation; readonly tookMs: number | null; readonly encoder: string | null }> {
  const { job, signal, note } = context;
  const output = await unfinishedPath(job, id);
  const recipe = recipeOf(job, id);
  const plan = await planOf(job, recipe, master, signal);
  const order = {
    chapters: master.chapters,
    tags: tagsOf(job),
    cover: job.reel.tags?.cover ?? null,
    plan,
    master: await masterPath(job),
    masterMs: master.durationMs,
    output,
    folder: piecesOf(job, id),
    application: APPLICATION,
    pieceMs: pieceMs(),
  };
  const progress = (ms: number) => {
    context.progress('access', Math.min(master.durationMs, ms), master.durationMs, 'ms');
  };
  const began = performance.now();
  const { pieces, goneOn, encoder } = await encodeCopy(order, { signal, note, progress });
  if (recipe.video.hardware && encoder) note(`${recipe.name}: the picture was encoded by ${encoder}`);
  const tookMs = goneOn ? null : Math.round(performance.now() - began);
  flushFile(output);
  if (pieces > 1) note(`${recipe.name}: encoded in ${pieces} pieces that stand alone, and joined`);
  const left = plan.reasons.filter((r) => r.code === 'subtitle left').length;
  if (left > 0) note(`${recipe.name}: ${recipe.container} can not carry bitmap subtitles, ${left} of them are left`);
  return { bytes: (await stat(output)).size, expects: expectationOf(plan, master), tookMs, encoder };
}

/** The master that copies are made from: unfinished still, or in its place already, where an earlier attempt at a copy failed. */
async function masterPath(job: Job): Promise<string> {
  const file = await unfinishedPath(job, MASTER);
  return (await sizeOf(file)) === null ? finalPath(job, MASTER) : file;
}

/** Is the master there that was proven, unfinished or in its place, as long as it was? */
export async function isMasterThere(job: Job, bytes: number | null): Promise<boolean> {
  return bytes !== null && (await sizeOf(await masterPath(job))) === bytes;
}

/** What copies were made from is the master that was proven, where it may have been touched since. @throws WorkError `master-changed`: nothing of it reaches the library. */
async function requireSameMaster({ job, signal, note }: StageContext, masterDigest: string | null): Promise<void> {
  const placed = finalPath(job, MASTER);
  if (!job.origin && (await masterPath(job)) === placed) {
    const algorithm = algorithmOf(masterDigest ?? '');
    if ((await digestInThread(placed, algorithm, signal)) !== masterDigest)
      throw new WorkError('master-changed', `${path.basename(placed)} is no longer the master that was proven: its ${algorithm} differs`);
    return;
  }
  if (!job.origin) return;
  const algorithm = algorithmOf(job.origin.digest);
  if ((await digestInThread(job.source.path, algorithm, signal)) !== job.origin.digest)
    throw new WorkError('master-changed', `${job.source.label} is no longer the master that was proven: its ${algorithm} differs`);
  note(`${job.source.label} is the master that was proven: the same ${algorithm}`);
}

/** Stage `access proof`. */
export async function checkCopy(
  context: StageContext,
  id: RecipeId,
  expects: CopyExpectation,
  promise: MasterPromise,
  tookMs: number | null,
  masterDigest: string | null,
): Promise<Checked & { readonly outcome: Outcome }> {
  const file = await unfinishedPath(context.job, id);
  const stamp = stampOf(file);
  const digest = digestInThread(file, fasterDigest(), context.signal);
  digest.catch(() => undefined);
  await requireSameMaster(context, masterDigest);
  const proof = proveCopy(await examineCopy(file, context.signal), expects, promise);
  const recipe = recipeOf(context.job, id);
  requireProof(proof, `copy by the recipe “${recipe.name}”`, 'copy-failed');
  const plan = await planOf(context.job, recipe, promise, context.signal);
  const master = await masterPath(context.job);
  // What is proven is not lost because it could not be measured.
  const nearness = await nearnessToMaster(plan, file, master, promise.durationMs, context.signal).catch((error: unknown) => {
    if (context.signal.aborted) throw error;
    context.note(`${recipe.name}: how near it is to the master could not be measured: ${toProblem(error).message}`);
    return null;
  });
  const shape = await probeShape(file, recipe.container, context.signal);
  const outcome = { shape, nearness, estimatedBytes: estimatedBytes(context.job, id), tookMs };
  return { proof, digest: await digest, stamp: stampOf(file, stamp), outcome };
}

/** What was said beforehand of how large a copy would be. */
const estimatedBytes = (job: Job, id: RecipeId): number =>
  Math.round(estimateReel(job.reading, job.reel, recipesById(job.copies)).copyBytes.get(id) ?? 0);

function sidecar(
  job: Job,
  { recipe, outcome, encoder, expects, promise, proof, digest, bytes }: Result,
  beside: readonly BesideResult[],
): Sidecar {
  const segments = job.reel.pieces.flatMap((piece) =>
    planPiece(job.reading, piece, job.reel.damage === 'around').segments.map(({ segment, chapter }) => ({
      title: piece.title,
      chapter,
      id: segment.id,
      discSector: segment.discSector,
      sectors: segment.lastSector - segment.firstSector + 1,
    })),
  );
  const written = SidecarSchema.parse({
    version: SIDECAR_VERSION,
    application: APPLICATION,
    madeAt: new Date().toISOString(),
    jobId: job.id,
    recipe,
    copy: expects && { recipe: recipeOf(job, recipe), expects },
    outcome,
    file: { name: path.basename(finalPath(job, recipe)), sizeBytes: bytes, digestAlgorithm: algorithmOf(digest), digest },
    beside: beside.map(({ ending, ...made }) => ({
      name: path.basename(besidePath(job, ending)),
      digestAlgorithm: algorithmOf(made.digest),
      ...made,
    })),
    reel: job.origin ? { ...job.origin.reel, recipes: job.reel.recipes } : job.reel,
    disc: job.origin?.disc ?? {
      label: job.reading.label,
      fingerprint: job.reading.fingerprint,
      kind: job.reading.kind,
      source: job.source.label,
    },
    segments: job.origin?.segments ?? segments,
    payloadHash: PAYLOAD_HASH,
    promise,
    proof,
    tools: { node: process.version, ...(expects ? { encoder: ffmpegVersion() } : {}), ...(encoder ? { videoEncoder: encoder } : {}) },
  });
  return sealed(written);
}

interface Result {
  readonly recipe: RecipeId;
  /** What a copy has to hold; null for the master. */
  readonly expects: CopyExpectation | null;
  readonly outcome: Outcome | null;
  /** FFmpeg's name of what encoded its picture. */
  readonly encoder: string | null;
  readonly promise: MasterPromise;
  readonly proof: Proof;
  readonly digest: string;
  readonly bytes: number;
  /** The file as it was proven. */
  readonly stamp: FileStamp | null;
}

/**
 * Stage `placing`: results get their names, each with its sidecar, only after all proofs.
 * Can be repeated after a stop at any point. @param more what is still to be made of this job: its workshop stays.
 */
export async function place(
  context: StageContext,
  results: readonly Result[],
  beside: readonly BesideResult[],
  more: 'to come' | 'none' = 'none',
): Promise<string[]> {
  const { job, note } = context;
  const files: { readonly file: Finished; readonly storage: string }[] = [];
  for (const result of results) {
    const file = {
      from: await unfinishedPath(job, result.recipe),
      to: finalPath(job, result.recipe),
      sizeBytes: result.bytes,
      digest: result.digest,
      stamp: result.stamp,
      sidecar: `${JSON.stringify(sidecar(job, result, result === results[0] ? beside : []), null, 2)}\n`,
    };
    files.push({ file, storage: placeOf(job, result.recipe).storage.path });
  }
  for (const { ending, sizeBytes, digest } of beside) {
    const file = { from: await besidePart(job, ending), to: besidePath(job, ending), sizeBytes, digest, stamp: null, sidecar: null };
    files.push({ file, storage: placeOf(job, job.reel.recipes[0] ?? MASTER).storage.path });
  }
  const whose = (text: string, file: Finished): Whose => {
    const found = SidecarSchema.safeParse(parsed(text));
    if (!found.success || found.data.jobId !== job.id) return 'other';
    return found.data.file.digest === file.digest ? 'this file' : 'this job';
  };
  const held: (HeldStorage & { readonly of: string })[] = [];
  try {
    for (const storage of storagesOf(job)) held.push({ ...(await holdStorage(storage)), of: storage.path });
    for (const storage of held) {
      const inside = (file: string) => path.join(storage.path, path.relative(storage.of, file));
      const here = files.flatMap(({ file, storage: its }) =>
        its === storage.of ? [{ ...file, from: inside(file.from), to: inside(file.to) }] : [],
      );
      if (here.length > 0) await placeFinished(here, workshopOf(storage.path, job.id), whose, note);
    }
    for (const storage of held)
      if (more === 'none') await removeWorkshop(storage.path, job.id);
      else forgetIntent(workshopOf(storage.path, job.id));
  } finally {
    for (const { release } of held) release();
  }
  return files.map((f) => f.file.to);
}

const parsed = (text: string): unknown => {
  try {
    return JSON.parse(text);
  } catch {
    return null; // torn, or no JSON at all
  }
};
