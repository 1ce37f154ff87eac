import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { planReel } from '@/core/assembly';
import type { Reading, Title } from '@/core/reading';
import type { HardwareName } from '@/core/recipes';
import type { Reel } from '@/core/reels';
import { openFileSink } from './library';
import type { OpenedSource } from './open-source';
import { momentReel } from './pictures';
import { writeReel } from './write-reel';

/** A reel of one title that is looked at, at its source. */
export interface LookedAt {
  readonly opened: OpenedSource;
  readonly reading: Reading;
  readonly title: Title;
  /** Its tracks are taken, in its order; what was added to it from files is not. */
  readonly reel: Reel;
  /** Encoders of hardware that work here; absent for none. */
  readonly hardware?: readonly HardwareName[];
}

/** A short stretch of a reel in a file. */
export interface Clip {
  readonly file: string;
  /** Where it begins in the title: at a place where decoding can begin, so mostly earlier than was asked for. */
  readonly fromMs: number;
  readonly frames: number;
  readonly durationMs: number;
  readonly pictureBytes: number;
  /** What the stream's own flags said. */
  readonly interlaced: boolean | null;
}

/** The reel between two moments of its title. */
export function clipReel({ title, reel }: Pick<LookedAt, 'title' | 'reel'>, fromMs: number, toMs: number): Reel {
  const { audio, subtitles } = reel;
  return { ...momentReel(title, reel.pieces[0]?.angle ?? 1, fromMs, toMs, { audio, subtitles }), otherEye: reel.otherEye };
}

/** Assembles a stretch of a reel into a file, as its master would be. @throws what reading and writing throw. */
export async function writeClip(looked: LookedAt, fromMs: number, toMs: number, file: string, signal: AbortSignal): Promise<Clip> {
  const { opened, reading } = looked;
  const reel = clipReel(looked, fromMs, toMs);
  const [planned] = opened.content ? await planReel(reading, reel, opened.content) : [];
  const sink = await openFileSink(file);
  try {
    const { promise } = await writeReel(opened, reading, reel, sink, { signal, onProgress: () => undefined });
    const { frames, durationMs, interlaced } = promise;
    const picture = promise.tracks.find((t) => t.kind === 'video');
    // A plain file is cut where its container says; what was asked for is its end.
    const startMs = planned?.segments[0]?.titleMs ?? Math.max(0, Math.min(toMs, looked.title.durationMs) - durationMs);
    return { file, fromMs: startMs, frames, durationMs, pictureBytes: picture?.bytes ?? 0, interlaced };
  } finally {
    await sink.abandon();
  }
}

/** A folder for clips that is gone when the work on them is over, whatever becomes of it. */
export async function withClipFolder<T>(work: (folder: string) => Promise<T>): Promise<T> {
  const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-clips-'));
  try {
    return await work(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
