import path from 'node:path';
import type { Building } from './building';
import { run } from './run';

const SECONDS = 240;
// Something like speech: a band of noise that comes and goes in syllables and sentences.
const VOICE = `anoisesrc=color=pink:seed=7:amplitude=0.5:r=48000:d=${SECONDS},bandpass=f=700:w=900,tremolo=f=4:d=0.9,tremolo=f=0.13:d=0.7`;

/** What an archive has beside its discs: a talk recorded to a film, to be added to it as a commentary. */
export const talkBuilding = (cache: string): Building => ({
  id: 'keeper-talk',
  name: 'talk of the keeper',
  target: path.join(cache, 'discs', 'Beside the discs', 'keeper-talk.flac'),
  how: VOICE,
  work: 20,
  make: async (file) => {
    await run('ffmpeg', ['-v', 'error', '-y', '-f', 'lavfi', '-i', VOICE, '-metadata', 'language=eng', '-c:a', 'flac', file]);
  },
});
