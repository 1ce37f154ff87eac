import { rmSync } from 'node:fs';
import path from 'node:path';
import {
  QUALITY,
  USUAL_KEYS,
  bytesInside,
  chooseSamples,
  clipArguments,
  leastQuality,
  pictureOnly,
  trialOf,
  type EncodePlan,
  type EncodedPicture,
  type Recipe,
  type Sample,
  type SampleResult,
  type Stretch,
  type TrialResult,
} from '@/core/recipes';
import { WorkError, type TrialLine } from '@/contract';
import { asDecoded } from './both-views';
import { withClipFolder, writeClip, type Clip, type LookedAt } from './clips';
import { withEncodeFolder } from './encode-folder';
import { compareEncode } from './outcome';
import { capture, runProgram } from './program';
import { planOfClip } from './rehearsal';

/** Recipes tried on short stretches of a title: how large, how near, how fast. */

const STRETCHES = 12;
const STRETCH_MS = 2000;

interface Clipped extends Sample {
  readonly clip: Clip;
}

/** Where stretches are looked for: spread evenly over what the reel takes of the title. */
function places({ title, reel }: LookedAt): { fromMs: number; toMs: number }[] {
  const { range } = reel.pieces[0] ?? {};
  const [from, to] = [range?.fromMs ?? 0, range?.toMs ?? title.durationMs];
  const count = Math.max(1, Math.min(STRETCHES, Math.floor((to - from) / STRETCH_MS)));
  const step = (to - from) / count;
  return Array.from({ length: count }, (_, i) => {
    const fromMs = Math.round(from + step * i + Math.max(0, step - STRETCH_MS) / 2);
    return { fromMs, toMs: Math.min(to, fromMs + STRETCH_MS) };
  });
}

async function brightnessOf(clip: string, signal: AbortSignal): Promise<number> {
  const look = [
    '-vf',
    'scale=160:-2,signalstats,metadata=mode=print:key=lavfi.signalstats.YAVG:file=-',
    '-frames:v',
    '5',
    '-f',
    'null',
    '-',
  ];
  const { out } = await capture('ffmpeg', ['-nostdin', '-v', 'error', '-i', clip, '-map', '0:v:0', ...look], signal);
  const values = [...out.matchAll(/YAVG=([\d.]+)/g)].map((m) => Number(m[1]));
  return values.length === 0 ? 255 : values.reduce((s, v) => s + v, 0) / values.length;
}

export interface TrialWatch {
  readonly signal: AbortSignal;
  readonly say: (line: TrialLine) => void;
}

class Trial {
  private stretches: Stretch[] = [];
  private samples: Clipped[] = [];
  private done = 0;
  private count = 0;

  constructor(
    private readonly looked: LookedAt,
    private readonly folder: string,
    private readonly watch: TrialWatch,
  ) {}

  /** @param more how much work there is beside finding samples, in samples encoded. */
  private step(more: number): void {
    this.watch.say({ type: 'progress', done: ++this.done, total: Math.max(this.done, more) });
  }

  async findSamples(variants: number): Promise<void> {
    const { signal } = this.watch;
    const wanted = places(this.looked);
    this.count = wanted.length + variants * Math.min(5, wanted.length);
    const clips = new Map<Stretch, Clip>();
    for (const [i, place] of wanted.entries()) {
      const clip = await writeClip(this.looked, place.fromMs, place.toMs, path.join(this.folder, `${i}.mkv`), signal);
      if (clip.frames < 3) continue;
      const brightness = await brightnessOf(clip.file, signal);
      // As long as it became: clips begin and end where decoding can begin.
      const { fromMs, durationMs } = clip;
      clips.set({ fromMs, toMs: fromMs + durationMs, sourceBytes: clip.pictureBytes, brightness }, clip);
      this.step(this.count);
    }
    this.stretches = [...clips.keys()];
    if (this.stretches.length === 0) throw new WorkError('bad-request', 'This title has no stretch that a recipe could be tried on');
    const byPlace = new Map([...clips].map(([s, clip]) => [s.fromMs, clip]));
    this.samples = chooseSamples(this.stretches).flatMap((s) => {
      const clip = byPlace.get(s.fromMs);
      return clip ? [{ ...s, clip }] : [];
    });
    const kept = new Set(this.samples.map((s) => s.clip.file));
    for (const clip of clips.values()) if (!kept.has(clip.file)) rmSync(clip.file, { force: true });
  }

  private async sample(plan: EncodePlan, { clip, kind, fromMs, sourceBytes }: Clipped): Promise<SampleResult> {
    const { signal } = this.watch;
    const encoded = path.join(this.folder, 'encoded.mkv');
    const decoded = await asDecoded(plan, clip.file, path.join(this.folder, 'both.mkv'), signal);
    const began = performance.now();
    await withEncodeFolder(plan, { source: clip.file }, (cwd) =>
      runProgram('ffmpeg', clipArguments(plan, decoded, encoded), { signal, cwd }),
    );
    const tookMs = performance.now() - began;
    const near = await compareEncode(pictureOnly(plan), encoded, clip.file, null, signal);
    const { codec, keyFrames } = plan.video;
    const usual = keyFrames ?? (codec === 'copy' ? 1 : USUAL_KEYS[codec]);
    const bytes = bytesInside(await encodedPictures(encoded, signal), usual);
    this.step(this.count);
    return { ...near, kind, fromMs, bytes, sourceBytes, ms: clip.durationMs, tookMs };
  }

  async result(recipe: Recipe): Promise<TrialResult> {
    const results: SampleResult[] = [];
    for (const sample of this.samples) {
      const { plan } = planOfClip(this.looked, recipe, sample.clip);
      if (plan.video.codec === 'copy') throw new WorkError('bad-request', `“${recipe.name}” encodes no picture: there is nothing to try`);
      results.push(await this.sample(plan, sample));
    }
    const { range } = this.looked.reel.pieces[0] ?? {};
    const wholeMs = range ? range.toMs - range.fromMs : this.looked.title.durationMs;
    return trialOf(results, this.stretches, wholeMs);
  }
}

/** Pictures of an encode: containers of short clips are more head than body. */
async function encodedPictures(file: string, signal: AbortSignal): Promise<EncodedPicture[]> {
  const how = ['-v', 'error', '-select_streams', 'v:0', '-show_entries', 'packet=size,flags', '-of', 'csv=p=0', file];
  const { out } = await capture('ffprobe', how, signal);
  return out.split('\n').flatMap((line) => {
    const [size, flags = ''] = line.split(',');
    return size ? [{ bytes: Number(size), key: flags.startsWith('K') }] : [];
  });
}

/** Tries recipes one after the other, and says each outcome when it is there. @throws WorkError `bad-request`, `encoder-failed`; what reading throws. */
export function tryRecipes(looked: LookedAt, recipes: readonly Recipe[], watch: TrialWatch): Promise<void> {
  return withClipFolder(async (folder) => {
    const trial = new Trial(looked, folder, watch);
    await trial.findSamples(recipes.length);
    for (const [index, recipe] of recipes.entries()) watch.say({ type: 'tried', index, quality: null, result: await trial.result(recipe) });
  });
}

/**
 * Finds the smallest copy that stays as near as wanted: halves the encoder's own scale, and says each step.
 * @param leastSsim of the mean of all pictures, 0 to 1.
 */
export function findQuality(looked: LookedAt, recipe: Recipe, leastSsim: number, watch: TrialWatch): Promise<void> {
  return withClipFolder(async (folder) => {
    const { codec } = recipe.video;
    if (codec === 'as it is' || codec === 'FFV1') throw new WorkError('bad-request', 'This recipe has no quality to choose');
    const { best, least } = QUALITY[codec];
    const trial = new Trial(looked, folder, watch);
    await trial.findSamples(Math.ceil(Math.log2(least - best + 2)));
    const found = await leastQuality(best, least, async (quality) => {
      const result = await trial.result({ ...recipe, video: { ...recipe.video, quality, rate: null } });
      watch.say({ type: 'tried', index: 0, quality, result });
      return result.ssim >= leastSsim;
    });
    watch.say({ type: 'found', quality: found });
  });
}
