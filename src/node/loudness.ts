import { loudnessArguments, loudnessOf, withLoudness, type EncodePlan } from '@/core/recipes';
import { runProgram } from './program';

/**
 * The plan with the tracks as loud as was wished, which are measured for it.
 * @param file Matroska with the tracks that the plan is about. @throws WorkError `encoder-failed`.
 */
export async function asLoudAsWished(
  plan: EncodePlan,
  file: string,
  { signal, note }: { readonly signal?: AbortSignal | undefined; readonly note: (text: string) => void },
): Promise<EncodePlan> {
  const found: ReturnType<typeof loudnessOf>[] = [];
  for (const [i, track] of plan.audio.entries()) {
    if (track.loudness === null) {
      found.push(null);
      continue;
    }
    const said: string[] = [];
    await runProgram('ffmpeg', loudnessArguments(track, file), { signal, onLine: (line) => said.push(line) });
    const loudness = loudnessOf(said);
    found.push(loudness);
    note(loudness ? `track ${i + 1}: ${loudness.lufs} LUFS, true peak ${loudness.peakDb} dB` : `track ${i + 1}: nothing is heard`);
  }
  return withLoudness(plan, found);
}
