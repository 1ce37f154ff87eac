import { DiscError } from '@/core/bytes';
import { audioOfFile, type AudioTrack } from '@/core/reading';
import type { AddedAudio, BesideSource } from '@/core/reels';
import { identifyFile, matroskaOf, probeFile, soundCodec } from './video-file';

/** Files that sound may be added from, as they are usually named; a video's own sound can be taken as well. FFmpeg decides. */
const AUDIO_FILE = /\.(wav|flac|aif|aiff|mp3|m4a|aac|ogg|oga|opus|ac3|eac3|dts|mka|w64|caf)$/i;
export const isAudioFile = (name: string): boolean => AUDIO_FILE.test(name);

/** A stream of sound in a file beside the disc. */
export type FileSound = Pick<AudioTrack, 'stream' | 'codec' | 'channels' | 'layout' | 'sampleRateHz' | 'bitDepth' | 'language'>;

export interface ExaminedSound {
  readonly sizeBytes: number;
  readonly fingerprint: string;
  readonly durationMs: number;
  readonly streams: readonly FileSound[];
}

/** Looks for sound in a file. @throws DiscError `not-a-disc` where there is none. */
export async function examineAudioFile(path: string, name: string, signal?: AbortSignal): Promise<ExaminedSound> {
  const { sizeBytes, fingerprint, durationMs, streams, language } = await probeFile(path, name, signal);
  const sounds = streams
    .filter((s) => s.kind === 'audio' && s.channels > 0)
    .map((s) => ({ ...audioOfFile(s), language: s.language ?? language ?? null }))
    .filter((t) => t.codec !== 'unknown');
  if (sounds.length === 0)
    throw new DiscError('not-a-disc', { source: name, byteOffset: 0 }, 'There is no sound in this file that can be taken over');
  return { sizeBytes, fingerprint, durationMs: Math.round(durationMs), streams: sounds.slice(0, 16) };
}

/** @throws DiscError `other-disc` where another file has that name now, `read-failed` where it is gone. */
export async function requireSameFile(path: string, source: BesideSource): Promise<void> {
  const where = { source: source.path, byteOffset: 0 };
  const found = await identifyFile(path).catch((error: unknown) => {
    throw new DiscError('read-failed', where, 'The file with the added sound can not be opened', { cause: error });
  });
  if (found.fingerprint !== source.fingerprint)
    throw new DiscError('other-disc', where, 'The file with the added sound is not the one that was chosen: add it again');
}

/** The added sound as a Matroska stream with one track. */
export const openAddedSound = (path: string, audio: AddedAudio, signal?: AbortSignal): AsyncIterable<Uint8Array> =>
  matroskaOf(path, { seekMs: null, streams: [audio.source.stream], codecs: ['-c:a', soundCodec(audio)] }, signal);
