import { Assembly, FileAssembly, planReel, type AssemblyOptions, type PacketStream } from '@/core/assembly';
import { DiscError, type ByteSource } from '@/core/bytes';
import { readDisc, type Reading, type ReadOptions } from '@/core/reading';
import type { Reel } from '@/core/reels';
import type { JobSource } from '@/contract';
import { openVolume, type OpenOptions } from './open-volume';
import { openStretches, readVideoFile } from './video-file';

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

/** Opens whatever a job or a reading reads from. @throws DiscError of the source or the file system. */
export async function openSource(source: JobSource, options: OpenOptions = {}): Promise<OpenedSource> {
  if (source.kind === 'file') {
    return {
      examine: ({ signal } = {}) => readVideoFile(source.path, source.label, signal ?? options.signal),
      assemble: (reading, reel, more = {}) =>
        Promise.resolve(new FileAssembly(reading, reel, openStretches(source.path, reading, more.signal), more)),
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

/** @throws DiscError `other-disc` where something else is there than what was read. */
export function requireSame(found: Reading, wanted: Pick<Reading, 'fingerprint' | 'label'>, source: string): void {
  if (found.fingerprint === wanted.fingerprint) return;
  throw new DiscError('other-disc', { source, byteOffset: 0 }, `“${found.label}” is there, “${wanted.label}” is wanted`);
}
