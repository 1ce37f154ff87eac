import { existsSync } from 'node:fs';
import { mkdir, rename } from 'node:fs/promises';
import path from 'node:path';
import { run } from './run';

const SECONDS = 240;

/** What an archive has beside its discs: a talk recorded to a film, to be added to it as a commentary. */
export async function makeBeside(cache: string, say: (line: string) => void): Promise<void> {
  const folder = path.join(cache, 'discs', 'Beside the discs');
  const file = path.join(folder, 'keeper-talk.flac');
  if (existsSync(file)) return;
  say('  talk of the keeper');
  await mkdir(folder, { recursive: true });
  const unfinished = path.join(cache, 'keeper-talk.new.flac');
  // Something like speech: a band of noise that comes and goes in syllables and sentences.
  const voice = `anoisesrc=color=pink:seed=7:amplitude=0.5:r=48000:d=${SECONDS},bandpass=f=700:w=900,tremolo=f=4:d=0.9,tremolo=f=0.13:d=0.7`;
  await run('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', voice, '-metadata', 'language=eng', '-c:a', 'flac', unfinished]);
  await rename(unfinished, file);
}
