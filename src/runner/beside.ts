import { rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { besidePromise } from '@/core/master';
import type { MasterPromise } from '@/core/proof';
import { besideFiles, writeSubtitleFile } from '@/core/reels';
import type { MatroskaSink } from '@/core/matroska';
import { MASTER } from '@/core/recipes';
import { WorkError, placeOf, type BesideResult, type Job } from '@/contract';
import { writeDurably } from '@/node/durable';
import { digestFile, fasterDigest } from '@/node/hash';
import { makeWorkshop, openFileSink } from '@/node/library';
import { proveMasterFile } from '@/node/prove-file';
import { shortProof } from './short-proof';

/** Subtitles that are written as files beside the result: made in the same walk over the disc, and proven like it. */

/** They stand beside the first result: a copy may go elsewhere than its reel. */
const placeOfThem = (job: Job) => placeOf(job, job.reel.recipes[0] ?? MASTER);

export const besidePart = async (job: Job, ending: string): Promise<string> =>
  path.join(await makeWorkshop(placeOfThem(job).storage, job.id), `beside${ending}.part`);
export function besidePath(job: Job, ending: string): string {
  const { storage, folder, fileName } = placeOfThem(job);
  return path.join(storage.path, folder, fileName + ending);
}

/** Sinks for the reel's subtitle tracks that are wanted as files. */
export class BesideSinks {
  private readonly open = new Map<string, Awaited<ReturnType<typeof openFileSink>>>();
  private readonly wanted;

  constructor(private readonly job: Job) {
    this.wanted = besideFiles(job.reel);
  }

  readonly openBeside = async (subtitle: number): Promise<MatroskaSink | null> => {
    const file = this.wanted.find((f) => f.subtitle === subtitle);
    if (!file) return null;
    const sink = await openFileSink(await besidePart(this.job, file.ending));
    this.open.set(file.ending, sink);
    return sink;
  };

  async abandon(): Promise<void> {
    for (const sink of this.open.values()) await sink.abandon();
  }

  /**
   * Closes the files, proves each against what was promised of its track, and writes those that come from text.
   * A track without any subtitle becomes no file.
   * @throws WorkError `proof-failed`.
   */
  async finish(promise: MasterPromise, signal: AbortSignal, note: (text: string) => void): Promise<BesideResult[]> {
    for (const sink of this.open.values()) await sink.close();
    const results: BesideResult[] = [];
    const { reel } = this.job;
    const firstSubtitle = 1 + reel.audio.length;
    for (const { subtitle, added, ending } of this.wanted) {
      const part = await besidePart(this.job, ending);
      const name = path.basename(besidePath(this.job, ending));
      if (subtitle !== null) {
        const track = firstSubtitle + subtitle;
        if ((promise.tracks[track]?.packets ?? 0) === 0) {
          await rm(part, { force: true });
          note(`${name} was not made: track ${track + 1} has no subtitle in this reel`);
          continue;
        }
        const { proof, digest } = await proveMasterFile(part, besidePromise(promise, track), fasterDigest(), signal);
        if (!proof.passed) throw new WorkError('proof-failed', `${name} is not what was promised: ${shortProof(proof)}`);
        results.push({ ending, sizeBytes: (await stat(part)).size, digest, track });
      } else if (added !== null) {
        const text = reel.added?.[added];
        if (!text) continue;
        writeDurably(part, writeSubtitleFile(text));
        const track = promise.tracks.length - (reel.added?.length ?? 0) + added;
        results.push({ ending, sizeBytes: (await stat(part)).size, digest: await digestFile(part, fasterDigest(), signal), track });
      }
    }
    if (results.length > 0) note(`${results.length} subtitle files beside it`);
    return results;
  }
}
