/** Comparing two tracks of a title: what of their sound is the same, and where their subtitles differ. */

/** Samples a second that sound is compared at, of either track mixed to one channel. */
export const SOUND_RATE_HZ = 8000;
/** Sound is judged second by second. */
export const SOUND_WINDOW_MS = 1000;
const WINDOW = (SOUND_RATE_HZ * SOUND_WINDOW_MS) / 1000;

/**
 * Thresholds of the judgement; change here, nowhere else. Correlation of two encodes of one mix lies above 0.95; of two
 * languages over the same music between 0.3 and 0.9.
 */
export const SOUND_LIMITS = { same: 0.9, alike: 0.35, silentDb: -65 } as const;
/** Decoders and encoders shift sound by some milliseconds: so far it is looked for. */
const MOST_LAG = Math.round(SOUND_RATE_HZ * 0.012);
/** A run shorter than this inside another is no difference but chance. */
const SHORTEST_RUN = 3;
const MOST_RUNS = 400;
/** Points of the level curves. */
const LEVELS = 120;

export type SoundRelation = 'same' | 'alike' | 'other' | 'silent' | 'only left' | 'only right';
export interface SoundRun {
  readonly kind: SoundRelation;
  readonly fromMs: number;
  readonly toMs: number;
}
export interface SoundComparison {
  readonly kind: 'audio';
  /** The tracks are the same, byte for byte. */
  readonly identical: boolean;
  readonly runs: readonly SoundRun[];
  /** Levels along both, dB below full scale, in equal steps. */
  readonly leftDb: readonly number[];
  readonly rightDb: readonly number[];
}

const levelDb = (power: number) => (power <= 0 ? -120 : Math.max(-120, 10 * Math.log10(power)));

/** Takes the mean off. */
function level(samples: Float32Array): void {
  let sum = 0;
  for (const s of samples) sum += s;
  const mean = sum / samples.length;
  for (let i = 0; i < samples.length; i++) samples[i] = (samples[i] as number) - mean;
}

function powerOf(samples: Float32Array): number {
  let sum = 0;
  for (const s of samples) sum += s * s;
  return sum / samples.length;
}

/** Correlation of two stretches with one shifted against the other, -1 to 1. */
function correlation(left: Float32Array, right: Float32Array, lag: number): number {
  const [from, to] = [Math.max(0, lag), Math.min(left.length, left.length + lag)];
  let [both, a, b] = [0, 0, 0];
  for (let i = from; i < to; i++) {
    const l = left[i] as number;
    const r = right[i - lag] as number;
    both += l * r;
    a += l * l;
    b += r * r;
  }
  return a > 0 && b > 0 ? both / Math.sqrt(a * b) : 0;
}

/** Takes the sound of both tracks as it comes, interleaved, and judges it second by second. Memory does not grow with its length but by a byte a second. */
export class SoundComparer {
  private readonly left = new Float32Array(WINDOW);
  private readonly right = new Float32Array(WINDOW);
  private filled = 0;
  private lag = 0;
  private readonly kinds: SoundRelation[] = [];
  private readonly levels: { readonly left: number; readonly right: number }[] = [];

  /** @param samples left and right by turns, 16 bits signed. */
  push(samples: Int16Array): void {
    for (let i = 0; i + 1 < samples.length; i += 2) {
      this.left[this.filled] = (samples[i] as number) / 32768;
      this.right[this.filled] = (samples[i + 1] as number) / 32768;
      if (++this.filled === WINDOW) this.judge();
    }
  }

  private judge(): void {
    this.filled = 0;
    // A constant offset is not heard, but would make anything look alike.
    level(this.left);
    level(this.right);
    const [left, right] = [levelDb(powerOf(this.left)), levelDb(powerOf(this.right))];
    this.levels.push({ left, right });
    const { silentDb } = SOUND_LIMITS;
    if (left < silentDb || right < silentDb)
      this.kinds.push(left < silentDb && right < silentDb ? 'silent' : left < silentDb ? 'only right' : 'only left');
    else {
      const found = Math.abs(this.bestCorrelation());
      this.kinds.push(found >= SOUND_LIMITS.same ? 'same' : found >= SOUND_LIMITS.alike ? 'alike' : 'other');
    }
  }

  /** The shift that fitted last fits again nearly always: all of them are tried only where it does not. */
  private bestCorrelation(): number {
    let best = correlation(this.left, this.right, this.lag);
    if (Math.abs(best) >= SOUND_LIMITS.same) return best;
    for (let lag = -MOST_LAG; lag <= MOST_LAG; lag++) {
      const value = correlation(this.left, this.right, lag);
      if (Math.abs(value) <= Math.abs(best)) continue;
      best = value;
      this.lag = lag;
    }
    return best;
  }

  finish(identical: boolean): SoundComparison {
    const points = Math.min(LEVELS, this.levels.length);
    const curve = (side: 'left' | 'right') =>
      Array.from({ length: points }, (_, i) => {
        const [from, to] = [Math.floor((i * this.levels.length) / points), Math.floor(((i + 1) * this.levels.length) / points)];
        return Math.round(Math.max(...this.levels.slice(from, Math.max(to, from + 1)).map((l) => l[side])) * 10) / 10;
      });
    return { kind: 'audio', identical, runs: runsOf(this.kinds), leftDb: curve('left'), rightDb: curve('right') };
  }
}

/** Runs of one kind; what is shorter than a run may be goes to the one before it. */
function runsOf(kinds: readonly SoundRelation[]): SoundRun[] {
  const runs: { kind: SoundRelation; seconds: number }[] = [];
  for (const kind of kinds) {
    const last = runs.at(-1);
    if (last?.kind === kind) last.seconds++;
    else runs.push({ kind, seconds: 1 });
  }
  const joined: { kind: SoundRelation; seconds: number }[] = [];
  for (const run of runs) {
    const last = joined.at(-1);
    if (last && (last.kind === run.kind || run.seconds < SHORTEST_RUN)) last.seconds += run.seconds;
    else if (last && last.seconds < SHORTEST_RUN)
      // Only the first can be so short: what it is follows from what comes.
      joined[0] = { kind: run.kind, seconds: last.seconds + run.seconds };
    else joined.push({ ...run });
  }
  let at = 0;
  return joined.slice(0, MOST_RUNS).map(({ kind, seconds }) => {
    const fromMs = at;
    at += seconds * SOUND_WINDOW_MS;
    return { kind, fromMs, toMs: at };
  });
}

/** A subtitle as it is shown: its content as a hash or text. */
export interface SubtitleEvent {
  readonly startMs: number;
  readonly content: string;
  /** Words, where the track is text. */
  readonly text: string | null;
}
export type EventRelation = 'only left' | 'only right' | 'other content' | 'other time';
export interface EventDifference {
  readonly kind: EventRelation;
  readonly leftMs: number | null;
  readonly rightMs: number | null;
  readonly left: string | null;
  readonly right: string | null;
}
export interface SubtitleComparison {
  readonly kind: 'subtitles';
  readonly left: number;
  readonly right: number;
  /** Shown at the same time with the same content, and at the same time whatever the content. */
  readonly same: number;
  readonly sameTime: number;
  /** In order of time; at the most 400. */
  readonly differences: readonly EventDifference[];
}

/** Two subtitles that begin so near each other are the same moment. */
const NEAR_MS = 400;
const MOST_DIFFERENCES = 400;

/** Pairs the events of two subtitle tracks by time, and says what has no fellow or another content. Both in order of time. */
export function compareSubtitles(left: readonly SubtitleEvent[], right: readonly SubtitleEvent[]): SubtitleComparison {
  const differences: EventDifference[] = [];
  const differ = (kind: EventRelation, l: SubtitleEvent | null, r: SubtitleEvent | null) => {
    if (differences.length < MOST_DIFFERENCES)
      differences.push({ kind, leftMs: l?.startMs ?? null, rightMs: r?.startMs ?? null, left: l?.text ?? null, right: r?.text ?? null });
  };
  let [same, sameTime, i, j] = [0, 0, 0, 0];
  while (i < left.length || j < right.length) {
    const [l, r] = [left[i] ?? null, right[j] ?? null];
    const apart = l && r ? l.startMs - r.startMs : l ? -Infinity : Infinity;
    if (l && r && Math.abs(apart) <= NEAR_MS) {
      sameTime++;
      if (l.content === r.content) same++;
      else differ('other content', l, r);
      i++;
      j++;
    } else if (l && r && l.content === r.content) {
      // The same picture at a little distance is not missing but moved.
      differ('other time', l, r);
      i++;
      j++;
    } else if (apart < 0) {
      differ('only left', l, null);
      i++;
    } else {
      differ('only right', null, r);
      j++;
    }
  }
  return { kind: 'subtitles', left: left.length, right: right.length, same, sameTime, differences };
}

export type TrackComparison = SoundComparison | SubtitleComparison;
