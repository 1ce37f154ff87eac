import path from 'node:path';
import { MASTER, type Recipe } from '@/core/recipes';
import { wholeTitleReel, type Reel, type TakenTrack } from '@/core/reels';
import type { Title } from '@/core/reading';
import { WorkError, type Job, type JobSource, type Output, type SubmitPlaces } from '@/contract';
import type { Helpers } from './helpers';
import type { Jobs } from './jobs';
import type { Outputs } from './outputs';

/** Tracks of the file as the reel that it was made by called them; as the file calls them where that does not fit. */
function named(own: readonly TakenTrack[], known: readonly Omit<TakenTrack, 'stream'>[]): TakenTrack[] {
  if (own.length !== known.length) return [...own];
  return own.map((track, i) => {
    const { language, name, isDefault, isForced, isCommentary, isHearingImpaired, isVisuallyImpaired, isOriginal } = known[i] ?? track;
    return { stream: track.stream, language, name, isDefault, isForced, isCommentary, isHearingImpaired, isVisuallyImpaired, isOriginal };
  });
}

const FROM_FILE = { isForced: false, isHearingImpaired: false, isOriginal: false, isCommentary: false, isVisuallyImpaired: false };

/** The reel of a master's file: the whole of it, its tracks called as the archive called them. */
function reelOfMaster(title: Title, made: Reel): Reel {
  const plain = wholeTitleReel(title, made.name);
  return {
    ...plain,
    audio: named(plain.audio, [...made.audio, ...(made.addedAudio ?? []).map((a) => ({ ...FROM_FILE, ...a }))]),
    subtitles: named(plain.subtitles, [...made.subtitles, ...(made.added ?? []).map((a) => ({ ...FROM_FILE, ...a }))]),
    tags: made.tags,
    packed: made.packed,
  };
}

const originOf = ({ sidecar }: Output): NonNullable<Job['origin']> => ({
  disc: sidecar.disc,
  reel: sidecar.reel,
  segments: sidecar.segments,
  wholeness: sidecar.promise.wholeness,
  around: sidecar.promise.around,
  digest: sidecar.file.digest,
});

/**
 * Orders copies of a master in the library: without its disc, beside it, and with the provenance of the master.
 * @throws WorkError where it is no master, or not there as it was; and what reading it and taking a job in throw.
 */
export async function orderCopies(
  { outputs, helpers, jobs }: { readonly outputs: Outputs; readonly helpers: Helpers; readonly jobs: Jobs },
  id: string,
  { copies, places }: { readonly copies: readonly Recipe[]; readonly places: SubmitPlaces },
  signal: AbortSignal,
): Promise<{ jobId: string; fileName: string }> {
  const { file, output } = await outputs.find(id);
  const { sidecar } = output;
  if (sidecar.recipe !== MASTER) throw new WorkError('bad-request', 'Copies are made from masters: from a copy they would lose twice');
  if (output.presence !== 'present') throw new WorkError('not-known', `${output.path} is not there as it was`);
  if (output.seal === 'broken')
    throw new WorkError('bad-request', 'The provenance of this master is not as it was written: look at it first');
  // Reading a file finds one picture in it.
  if (sidecar.reel.otherEye && copies.some((c) => c.views.layout !== 'kept'))
    throw new WorkError('bad-request', 'This master holds both eyes’ pictures in two tracks: copies of both are made from its disc');
  const source: JobSource = { kind: 'file', path: file, label: path.basename(file) };
  const { reading } = await helpers.run({ kind: 'read', source, spunUp: true, thorough: false }, signal);
  const [title] = reading.titles;
  if (!title) throw new WorkError('bad-request', `${output.path} can not be read as a video file`);
  const reel = {
    ...reelOfMaster(title, sidecar.reel),
    fileName: path.basename(output.path, path.extname(output.path)),
    recipes: copies.map((c) => c.id),
  };
  const folder = path.dirname(output.path) === '.' ? '' : path.dirname(output.path);
  const request = { reading, reel, storage: output.storage, folder, copies: [...copies], places };
  return jobs.submit(request, source, [], originOf(output));
}
