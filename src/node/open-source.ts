import { access, constants } from 'node:fs/promises';
import { Assembly, FileAssembly, planReel, type AssemblyOptions, type PacketStream } from '@/core/assembly';
import { DiscError, type ByteSource } from '@/core/bytes';
import { readDisc, type Reading, type ReadOptions } from '@/core/reading';
import type { Reel } from '@/core/reels';
import { WorkError, type JobSource } from '@/contract';
import { openVolume, type OpenOptions } from './open-volume';
import { openStretches, readVideoFile, tracksOf } from './video-file';

/** Plain video files, as containers are usually named. FFmpeg decides what they are. */
const VIDEO_FILE = /\.(mkv|webm|mp4|m4v|mov|ts|m2ts|mts|mpg|mpeg|vob|avi|mxf|dv)$/i;
const IMAGE = /\.(iso|img|udf)$/i;

/** What a file seems to be by its name; null where it is nothing that is read here. */
export const kindOfFile = (name: string): 'image' | 'file' | null => (IMAGE.test(name) ? 'image' : VIDEO_FILE.test(name) ? 'file' : null);

/** A source that is open: a disc in whatever form, or a plain video file. */
export interface OpenedSource {
  /** Reads what is on it. @throws DiscError. */
  examine(options?: ReadOptions): Promise<Reading>;
  /** Timed packets of a reel. @throws DiscError where the reel can not be had from this reading. */
  assemble(reading: Reading, reel: Reel, options?: AssemblyOptions): Promise<PacketStream>;
  /** What segments stand in; null for a plain file, whose bytes only FFmpeg looks into. */
  readonly content: ((name: string) => Promise<ByteSource>) | null;
  close(): Promise<void>;
}

/** What a source is missing for is not what a disc is cleaned for. @throws WorkError `source-missing`, `source-refused`. */
async function requireThere({ kind, path, label }: JobSource): Promise<void> {
  if (kind === 'drive') return; // the drive says itself whether it has a disc
  try {
    await access(path, constants.R_OK);
  } catch (error) {
    const refused = (error as NodeJS.ErrnoException).code === 'EACCES';
    throw new WorkError(refused ? 'source-refused' : 'source-missing', `“${label}” ${refused ? 'can not be read' : 'is not there'}`, {
      cause: error,
    });
  }
}

/** Opens whatever a job or a reading reads from. @throws DiscError of the source or the file system; WorkError where it is not there. */
export async function openSource(source: JobSource, options: OpenOptions = {}): Promise<OpenedSource> {
  await requireThere(source);
  if (source.kind === 'file') {
    return {
      examine: ({ signal } = {}) => readVideoFile(source.path, source.label, signal ?? options.signal),
      assemble: async (reading, reel, more = {}) => {
        const secondView = reading.titles[0]?.video.secondView ? await secondViewIn(source.path, more.signal) : null;
        return new FileAssembly(reading, reel, openStretches(source.path, reading, more.signal), more, secondView);
      },
      content: null,
      close: () => Promise.resolve(),
    };
  }
  const opened = await openVolume(source, options);
  return {
    examine: (more = {}) => readDisc(opened.volume, more),
    assemble: async (reading, reel, more = {}) => {
      const content = (name: string) => opened.content(name);
      return new Assembly(reading, reel, content, { ...more, pieces: await planReel(reading, reel, content) });
    },
    content: (name) => opened.content(name),
    close: () => opened.close(),
  };
}

/** How the second view in a file's picture is decoded; null where its container does not say. */
async function secondViewIn(file: string, signal?: AbortSignal): Promise<Uint8Array | null> {
  try {
    const tracks = await tracksOf(file, signal);
    return tracks.find((t) => t.kind === 'video')?.secondView?.slice() ?? null;
  } catch (error) {
    // No Matroska, which FFmpeg may read all the same.
    if (error instanceof DiscError && error.code !== 'cancelled') return null;
    throw error;
  }
}

/** @throws DiscError `other-disc` where something else is there than what was read. */
export function requireSame(found: Reading, wanted: Pick<Reading, 'fingerprint' | 'label'>, source: string): void {
  if (found.fingerprint === wanted.fingerprint) return;
  throw new DiscError('other-disc', { source, byteOffset: 0 }, `“${found.label}” is there, “${wanted.label}” is wanted`);
}
