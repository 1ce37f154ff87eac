import { proveCopy, type MasterPromise, type Proof } from '@/core/proof';
import { expectationOf, planEncode, type EncodeFacts, type EncodePlan, type FileTags, type Recipe } from '@/core/recipes';
import { encodeCopy, picturesOf } from '@/node/encode-pieces';
import { examineCopy } from '@/node/ffmpeg';
import { packetTimes } from './ffmpeg';

/** Copies of films that FFmpeg made, and no disc: proven against what the prober says of the film. */

export interface CopyWish {
  readonly recipe: Recipe;
  readonly facts: EncodeFacts;
  readonly output: string;
  readonly chapters?: MasterPromise['chapters'];
  readonly pieceMs?: number;
  readonly cover?: string | undefined;
  readonly tags?: FileTags;
}

/** What would have been promised of the film, by the prober. */
async function promiseOf(master: string, { facts, chapters = [] }: CopyWish): Promise<MasterPromise> {
  const tracks = facts.audio.map((_, i) => {
    const times = packetTimes(master, `a:${i}`).flatMap(({ pts }) => (pts === null ? [] : [pts * 1000]));
    return { kind: 'audio', fromMs: times[0] ?? null, toMs: times.at(-1) ?? null, packets: times.length };
  });
  const frames = (await picturesOf(master)).length;
  return { frames, durationMs: facts.durationMs, chapters, wholeness: null, tracks } as unknown as MasterPromise;
}

/** Makes a copy of a film by a recipe, and proves it. */
export async function copyOf(
  master: string,
  wish: CopyWish,
): Promise<{ readonly plan: EncodePlan; readonly pieces: number; readonly notes: readonly string[]; readonly proof: Proof }> {
  const { recipe, facts, output, chapters = [], pieceMs = 1e6, cover = null, tags = {} } = wish;
  const plan = planEncode(recipe, facts);
  const notes: string[] = [];
  const order = { plan, master, masterMs: facts.durationMs, output, folder: `${output}.pieces`, application: 'test', pieceMs };
  const { pieces } = await encodeCopy({ ...order, chapters, cover, tags }, { progress: () => undefined, note: (text) => notes.push(text) });
  const promise = await promiseOf(master, wish);
  const proof = proveCopy(await examineCopy(output), expectationOf(plan, promise), promise);
  return { plan, pieces, notes, proof };
}
