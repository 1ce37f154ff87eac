import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { run } from '../run';
import { AUDIO_CODING, audioArguments, soundSource, type ClipAudio, type MadeClip } from './clips';
import { scanClip } from './scan';

/** A clip that holds sound and nothing else: a commentary, say, that plays beside a title. */
export interface SoundClipPlan {
  readonly name: string;
  readonly seconds: number;
  /** Where its clock begins, seconds. */
  readonly clock: number;
  readonly audio: ClipAudio;
}

const SOUND_PID = 0x1100;
/** Frames of AC-3 and E-AC-3. */
const FRAME_90K = 2880;

export async function makeSoundClip({ name, seconds, clock, audio }: SoundClipPlan, folder: string): Promise<MadeClip> {
  const file = path.join(folder, `${name}.m2ts`);
  await run('ffmpeg', [
    ...['-hide_banner', '-nostdin', '-loglevel', 'error', '-y', '-f', 'lavfi', '-i', soundSource(audio, seconds)],
    ...audioArguments(audio, 0),
    ...['-muxdelay', '0', '-output_ts_offset', String(clock), '-f', 'mpegts', '-mpegts_m2ts_mode', '1', file],
  ]);
  const data = new Uint8Array(await readFile(file));
  const format = (audio.channels === 2 ? 0x30 : 0x60) | 1;
  return {
    name,
    file,
    streams: [{ pid: SOUND_PID, coding: AUDIO_CODING[audio.codec], format, language: audio.language }],
    facts: scanClip(data, SOUND_PID, FRAME_90K),
  };
}
