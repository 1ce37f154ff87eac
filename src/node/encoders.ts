import { readFileSync } from 'node:fs';
import { z } from 'zod';
import { AUDIO_ENCODER, HARDWARE_ENCODER, HARDWARE_NAMES, VIDEO_ENCODER, type EncoderName } from '@/core/recipes';
import { EncoderStateSchema, toProblem, type EncoderState } from '@/contract';
import { writeDurably } from './durable';
import { weightsFile } from './encode-folder';
import { capture } from './program';
import { whyNotBothViews } from './views-guard';

/** What is asked of each: a few real frames, in the kind of picture that it will be given. */
const SOURCES = ['-f', 'lavfi', '-i', 'testsrc2=s=128x128:r=25:d=0.2', '-f', 'lavfi', '-i', 'sine=r=48000:d=0.1'];

function outputOf(name: EncoderName): string[] {
  const nowhere = ['-f', 'null', '-'];
  const ofHardware = HARDWARE_NAMES.find((n) => n === name);
  if (ofHardware) {
    const [hardware] = ofHardware.split(' ');
    const deep = ofHardware.endsWith('10 bit');
    const format = deep ? 'p010le' : 'nv12';
    const upload = hardware === 'VAAPI' ? ['-vf', `format=${format},hwupload`] : ['-pix_fmt', format];
    return ['-map', '0:v', '-frames:v', '3', ...upload, '-c:v', HARDWARE_ENCODER[ofHardware], ...nowhere];
  }
  if (name === 'another speed') return ['-map', '1:a', '-af', 'rubberband=tempo=0.96', ...nowhere];
  if (name in AUDIO_ENCODER) return ['-map', '1:a', '-ac', '2', '-c:a', AUDIO_ENCODER[name as keyof typeof AUDIO_ENCODER], ...nowhere];
  const format = name === 'HEVC, 10 bit' ? 'yuv420p10le' : 'yuv420p';
  const encoder = VIDEO_ENCODER[name as keyof typeof VIDEO_ENCODER];
  return ['-map', '0:v', '-frames:v', '3', '-pix_fmt', format, '-c:v', encoder, ...nowhere];
}

const run = (program: string, names: readonly EncoderName[], signal: AbortSignal) =>
  capture(
    program,
    [
      ...['-nostdin', '-v', 'error'],
      ...(names.some((n) => n.startsWith('VAAPI')) ? ['-vaapi_device', '/dev/dri/renderD128'] : []),
      ...SOURCES,
      ...names.flatMap(outputOf),
    ],
    signal,
  );

/** Every encoder that a recipe can ask for. */
const ALL = [...Object.keys(VIDEO_ENCODER), ...Object.keys(AUDIO_ENCODER), 'another speed'] as EncoderName[];

async function tried(program: string, name: EncoderName, signal: AbortSignal): Promise<EncoderState> {
  try {
    await run(program, [name], signal);
    return { name, works: true, reason: null };
  } catch (error) {
    return { name, works: false, reason: toProblem(error).message.slice(0, 400) };
  }
}

/** Decoding both views of a stereoscopic title: a pair whose pictures are known is decoded, and compared. */
async function bothViews(program: string, signal: AbortSignal): Promise<EncoderState> {
  const reason = await whyNotBothViews(signal, program).catch((error: unknown) => toProblem(error).message.slice(0, 400));
  return { name: 'both views', works: reason === null, reason };
}

/** Its weights may come and go, whatever FFmpeg is: they are looked for anew. */
const thoroughDeinterlacing = (): EncoderState => {
  const works = weightsFile() !== null;
  const reason = works ? null : 'the weights of its network (nnedi3_weights.bin) are in no package: see the README for where to put them';
  return { name: 'thorough deinterlacing', works, reason };
};

const KeptSchema = z.object({ version: z.string(), encoders: z.array(EncoderStateSchema) });

/**
 * Which encoders work on this machine: each is tried on a few real frames, since being listed says nothing.
 * @param file where the outcome is kept, for as long as FFmpeg is the same. @param version FFmpeg's own line.
 */
export async function tryEncoders(file: string, version: string, signal: AbortSignal, program = 'ffmpeg'): Promise<EncoderState[]> {
  try {
    const kept = KeptSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
    if (kept.version === version && kept.encoders.length === ALL.length + HARDWARE_NAMES.length + 1)
      return [...kept.encoders, thoroughDeinterlacing()];
  } catch {
    // not there, torn, or of another version
  }
  // Mostly all of them work: that is known from one run. Where it fails, each says for itself.
  const all = await run(program, ALL, signal).then(
    () => true,
    () => false,
  );
  const encoders: EncoderState[] = [];
  for (const name of ALL) encoders.push(all ? { name, works: true, reason: null } : await tried(program, name, signal));
  // Mostly there is none: each says why.
  for (const name of HARDWARE_NAMES) encoders.push(await tried(program, name, signal));
  encoders.push(await bothViews(program, signal));
  if (!signal.aborted) writeDurably(file, JSON.stringify({ version, encoders }));
  return [...encoders, thoroughDeinterlacing()];
}
