import {
  CONTAINER_SHARE,
  COPIED_KBPS,
  ENCODES,
  FILM_RATE,
  FLAC_KBPS_PER_CHANNEL,
  PCM_KBPS_PER_CHANNEL,
  QUALITY,
  copiesVideo,
} from './codecs';
import type { SubtitleCodec } from '../reading';
import type { EncodePlan, PictureStep, PlannedAudio, Rate } from './encode-plan';
import { HARDWARE, type Hardware } from './hardware-names';
import type { Reasons } from './reasons';
import { SOUND_ONLY, TEXTS, WIDTH_OF_DEPTH, type CopyVideo, type EncodeFacts, type Recipe } from './recipe';
import { ViewsPlanner, type Placed } from './plan-views';
import { eyeFacts } from './views';

/** Encoders that know what kind of picture they are given. */
const TUNED: ReadonlySet<CopyVideo> = new Set<CopyVideo>(['H.264', 'HEVC', 'HEVC, 10 bit']);

/** Encoders here that are told the figures of ST 2086 and CTA-861.3. */
const CARRIES_FIGURES: ReadonlySet<CopyVideo> = new Set<CopyVideo>(['HEVC, 10 bit', 'AV1']);

/** Codecs whose pictures have no times of their own but a rate: 13818-2, table 6-4. */
const COUNTED: ReadonlySet<CopyVideo> = new Set<CopyVideo>(['MPEG-2']);

function reduced({ numerator, denominator }: Rate): Rate {
  let [a, b] = [Math.round(numerator), Math.round(denominator)];
  while (b > 0) [a, b] = [b, a % b];
  return { numerator: Math.round(numerator) / a, denominator: Math.round(denominator) / a };
}

const SIDES = ['top', 'bottom', 'left', 'right'] as const;
/** Rows and columns that no crop takes. */
const LEAST_LEFT = 16;

const even = (n: number): number => Math.max(2, Math.round(n / 2) * 2);

/** Film whose pulldown is only said by flags has as many combed frames as any film: hardly one in ten. */
const SOFT_COMBED = 0.1;

/** Encoders here that can not be told what an earlier pass has seen. */
const ONE_PASS: ReadonlySet<CopyVideo> = new Set<CopyVideo>(['AV1']);
const LEAST_KBPS = 50;
/** Bits a pixel below which every codec shows what it leaves out. */
const THIN_BITS = 0.015;
/** Above this even noise is as good as without loss. */
const MOST_BITS = 2;

/** Plans the picture of a copy. */
export class VideoPlanner {
  constructor(
    private readonly recipe: Recipe,
    private readonly facts: EncodeFacts,
    private readonly reasons: Reasons,
    private readonly slower: number,
  ) {}

  private readonly tell: Reasons['tell'] = (...reason) => {
    this.reasons.tell(...reason);
  };

  /** @param audio as it is planned: what it takes of a size that is wished. */
  video(audio: readonly PlannedAudio[]): EncodePlan['video'] {
    const { recipe } = this;
    const { container } = recipe;
    const { facts } = this;
    const { video } = facts;
    const soundOnly = SOUND_ONLY.has(container);
    const copied = copiesVideo(recipe, video.codec);
    const both = facts.packed?.from;
    const shape = { widthPixels: video.widthPixels, heightPixels: video.heightPixels };
    const displayAspect = video.displayAspect[0] / video.displayAspect[1];
    const planner = new ViewsPlanner(this.recipe, this.facts, this.reasons);
    const views = soundOnly ? null : planner.wanted();
    const refused = video.viewsRefused;
    if (video.twoViews && !both && !soundOnly)
      this.tell('video', refused ? 'second view refused' : 'second view left', refused ? [refused] : [], { weight: 'eyes' });
    if (soundOnly || copied) {
      if (soundOnly) this.tell('video', 'sound only', [container]);
      else this.tell('video', 'video copied', [video.codec]);
      if (!soundOnly && this.wantsTreatment()) this.tell('picture', 'not treated when copied', [], { weight: 'eyes' });
      const common = {
        recipe: recipe.video,
        quality: null,
        rate: null,
        bitDepth: 8,
        keyFrames: null,
        steps: [],
        framesPerFrame: 1,
        nominal: this.nominal(1, 1),
        constant: null,
        hardware: null,
        brightness: null,
        views,
        saysViews: false,
      } as const;
      return { codec: 'copy', ...common, ...shape, picturesPerSecond: 27e6 / video.frameTicks, displayAspect, interlaced: false };
    }
    const codec = this.videoCodec();
    const range = codec === 'FFV1' ? null : QUALITY[codec];
    const quality = range && Math.max(range.best, Math.min(range.least, recipe.video.quality ?? range.usual));
    const rate = codec === 'FFV1' ? null : this.rate(codec, audio);
    if (codec === 'FFV1') this.tell('video', 'lossless video', [codec]);
    else if (!rate) this.tell('video', 'video encoded', [codec, quality ?? 0]);
    if (recipe.video.tuning !== 'none' && !TUNED.has(codec)) this.tell('video', 'tuning left', [codec]);
    const deep = codec === 'HEVC, 10 bit' || ((codec === 'AV1' || codec === 'FFV1') && video.bitDepth > 8);
    const toned = this.toneSteps();
    const isHigh = video.dynamicRange !== 'standard' && toned.length === 0;
    const brightness = isHigh && deep && CARRIES_FIGURES.has(codec) ? (video.brightness ?? null) : null;
    if (isHigh && !deep) this.tell('picture', 'high dynamic range', [video.dynamicRange], { weight: 'eyes' });
    else if (video.bitDepth > 8 && !deep && toned.length === 0)
      this.tell('picture', 'depth reduced', [video.bitDepth, 8], { weight: 'eyes' });
    else if (isHigh && CARRIES_FIGURES.has(codec)) this.tell('picture', 'brightness figures carried', [video.dynamicRange]);
    else if (isHigh) this.tell('picture', 'brightness figures left', [video.dynamicRange], { weight: 'eyes' });
    const lossless = codec === 'FFV1';
    const { steps, framesPerFrame, interlaced } = this.timeSteps(lossless);
    const { steps: placed, ...eye } = this.spaceSteps(interlaced, lossless);
    const surface = [...placed, ...this.lightSteps(), ...this.surfaceSteps()];
    const { steps: shown, ...out } = views ? planner.steps(views, surface, eye, lossless) : { steps: surface, ...eye };
    const drawn = this.drawSteps();
    const pair = both ? this.pairSteps(both, drawn) : [];
    const all = [...pair, ...steps, ...toned, ...(both ? [] : drawn), ...shown];
    const aSecond = 27e6 / video.frameTicks;
    const film = steps.some((s) => s.kind === 'film') ? 0.8 : 1;
    const picturesPerSecond = (aSecond * (framesPerFrame ?? 1) * film) / this.slower;
    const nominal = this.nominal(film, framesPerFrame ?? 1);
    const constant = this.constantRate(codec, nominal);
    const keyFrames =
      recipe.video.keySeconds === null ? null : Math.max(1, Math.round(recipe.video.keySeconds * aSecond * (framesPerFrame ?? 1)));
    const hardware = this.hardware(codec, interlaced);
    const bounded = rate && this.bounded(rate, out.widthPixels * out.heightPixels * picturesPerSecond);
    return {
      codec,
      quality: rate ? null : quality,
      // Hardware looks once.
      rate: bounded && hardware ? { ...bounded, passes: 1 } : bounded,
      recipe: recipe.video,
      bitDepth: deep ? 10 : 8,
      interlaced,
      picturesPerSecond,
      keyFrames,
      steps: all,
      framesPerFrame,
      nominal,
      constant,
      hardware,
      brightness,
      views,
      saysViews: video.twoViews || Boolean(facts.packed),
      ...out,
    };
  }

  /** An average rate, wished or reckoned from the size that is wished. Nothing is promised that an encoder does not do. */
  private rate(codec: Exclude<CopyVideo, 'as it is' | 'FFV1'>, audio: readonly PlannedAudio[]): EncodePlan['video']['rate'] {
    const { rate } = this.recipe.video;
    if (!rate) return null;
    const passes = ONE_PASS.has(codec) ? 1 : 2;
    if (passes === 1) this.tell('video', 'one pass only', [codec]);
    if (rate.kind === 'average') {
      this.tell('video', 'by rate', [codec, rate.kbps]);
      return { kbps: rate.kbps, passes };
    }
    const sound = audio.reduce((sum, a) => sum + this.kbpsOf(a), 0);
    const all = (rate.megabytes * 8e6) / CONTAINER_SHARE[this.recipe.container] / Math.max(1, this.facts.durationMs * this.slower);
    const kbps = Math.max(LEAST_KBPS, Math.floor(all - sound));
    this.tell('video', 'by size', [codec, rate.megabytes, kbps], all - sound < LEAST_KBPS ? { weight: 'eyes' } : {});
    return { kbps, passes };
  }

  private kbpsOf({ codec, kbps, channels, source }: PlannedAudio): number {
    if (codec === 'copy') return this.facts.audio[source]?.kbps ?? COPIED_KBPS;
    return codec === 'FLAC' ? FLAC_KBPS_PER_CHANNEL * channels : codec === 'PCM' ? PCM_KBPS_PER_CHANNEL * channels : (kbps ?? 0);
  }

  private hardware(codec: CopyVideo, interlaced: boolean): Hardware | null {
    if (!this.recipe.video.hardware) return null;
    const found = interlaced ? undefined : HARDWARE.find((h) => this.facts.hardware?.some((name) => name === `${h} ${codec}`));
    if (found) this.tell('video', 'hardware encoder', [found]);
    else this.tell('video', 'software encoder', [codec]);
    return found ?? null;
  }

  /** Whether every picture stands for as long as every other, since players count them or since that is wished. */
  private constantRate(codec: CopyVideo, nominal: Rate): Rate | null {
    const forced = this.recipe.container === 'AVI';
    // This encoder is told that every picture stands for one tick of its clock, and gives it so many bits.
    const byTicks = codec === 'VP9' && this.recipe.video.rate !== null;
    const counted = forced || byTicks || COUNTED.has(codec);
    if (!counted && this.recipe.video.frameRate === 'kept') return null;
    if (forced) this.tell('video', 'rate made constant');
    else this.tell('video', 'constant rate', [Math.round((nominal.numerator / nominal.denominator) * 1000) / 1000]);
    return nominal;
  }

  /** The rate that pictures have but for pauses, exactly. Film that is only flagged to be spread has its own. */
  private nominal(film: number, perFrame: 1 | 2): Rate {
    const { video, measured } = this.facts;
    const soft = measured?.scan === 'film with pulldown' && measured.combed <= SOFT_COMBED;
    const isFilm = film !== 1 || soft;
    // Exactly: ticks of 27 MHz are whole numbers, and film is four fifths of video.
    const [numerator, denominator] = [27_000_000 * perFrame * (isFilm ? 4 : 1), video.frameTicks * (isFilm ? 5 : 1)];
    const slowed = this.slower === 1 ? { numerator, denominator } : FILM_RATE[this.recipe.speed === '24' ? '24' : '23.976'];
    return reduced(this.slower === 1 ? slowed : { ...slowed, numerator: slowed.numerator * perFrame });
  }

  /** More than no picture has any use for is not given to one; so little that it shows is told. */
  private bounded(rate: { readonly kbps: number; readonly passes: 1 | 2 }, pixelsPerSecond: number): EncodePlan['video']['rate'] {
    if ((rate.kbps * 1000) / pixelsPerSecond < THIN_BITS) this.tell('video', 'rate is thin', [rate.kbps], { weight: 'eyes' });
    const most = Math.ceil((pixelsPerSecond * MOST_BITS) / 1000);
    if (rate.kbps <= most) return rate;
    this.tell('video', 'more than needed', [most]);
    return { ...rate, kbps: most };
  }

  /** A range that usual screens do not show, brought within it. */
  private toneSteps(): PictureStep[] {
    if (this.recipe.picture.range === 'kept') return [];
    if (this.facts.video.dynamicRange === 'standard') {
      this.tell('picture', 'range is standard');
      return [];
    }
    this.tell('picture', 'tone mapped', [this.facts.video.dynamicRange]);
    return [{ kind: 'tone' }];
  }

  private lightSteps(): PictureStep[] {
    const { turn, mirror, brightness, contrast, saturation, hue } = this.recipe.picture;
    const steps: PictureStep[] = [];
    if (turn !== 'none') steps.push({ kind: 'turn', by: turn });
    if (mirror) steps.push({ kind: 'mirror' });
    if (turn !== 'none' || mirror) this.tell('picture', 'turned', [turn, mirror ? 1 : 0]);
    if (brightness !== 0 || contrast !== 0 || saturation !== 0 || hue !== 0) {
      steps.push({ kind: 'light', brightness, contrast, saturation, hue });
      this.tell('picture', 'light changed', [brightness, contrast, saturation, hue]);
    }
    return steps;
  }

  private surfaceSteps(): PictureStep[] {
    const { denoise, mark } = this.recipe.picture;
    const steps: PictureStep[] = [];
    if (denoise !== 'none') {
      this.tell('picture', 'denoised', [denoise]);
      steps.push({ kind: 'denoise', how: denoise });
    }
    if (mark) {
      steps.push({ kind: 'mark', mark });
      this.tell('picture', 'marked', [mark.kind === 'text' ? mark.text : 'picture', mark.corner]);
    }
    return steps;
  }

  private wantsTreatment(): boolean {
    if (this.recipe.views.layout !== 'kept' && this.facts.packed) return true;
    const { deinterlace, bars, mostRows, pixels, denoise, turn, mirror, brightness, contrast, saturation, hue } = this.recipe.picture;
    if (this.recipe.picture.mark !== null || (this.recipe.picture.range === 'standard' && this.facts.video.dynamicRange !== 'standard'))
      return true;
    if (turn !== 'none' || mirror || brightness !== 0 || contrast !== 0 || saturation !== 0 || hue !== 0) return true;
    const { drawn } = this.recipe.subtitles;
    if (drawn !== 'none' && this.facts.subtitles.some((s) => s.forced || drawn === 'first')) return true;
    const rows = mostRows !== null && mostRows < this.facts.video.heightPixels;
    return deinterlace === 'frames' || deinterlace === 'fields' || bars === 'crop' || rows || pixels === 'square' || denoise !== 'none';
  }

  private videoCodec(): Exclude<CopyVideo, 'as it is'> {
    const { container, video } = this.recipe;
    const allowed = ENCODES[container].video;
    const instead = (allowed[0] ?? 'H.264') as Exclude<CopyVideo, 'as it is'>;
    if (video.codec === 'as it is') {
      this.tell('video', 'video can not be copied', [this.facts.video.codec, container], { weight: 'eyes' });
      return instead;
    }
    if (allowed.includes(video.codec)) return video.codec;
    this.tell('video', 'codec not in container', [video.codec, container, instead], { weight: 'eyes' });
    return instead;
  }

  /** What is done along time: fields, and film that was spread over more frames. */
  private timeSteps(lossless: boolean): {
    readonly steps: PictureStep[];
    readonly framesPerFrame: 1 | 2 | null;
    readonly interlaced: boolean;
  } {
    const { measured, flaggedInterlaced } = this.facts;
    const { deinterlace, film } = this.recipe.picture;
    const none = { steps: [], framesPerFrame: 1, interlaced: false } as const;
    const mixed = (measured?.combed ?? 0) > SOFT_COMBED;
    if (measured?.scan === 'film with pulldown' && mixed && film === 'measured') {
      this.tell('picture', 'film restored', [Math.round(measured.combed * 100)]);
      return { steps: [{ kind: 'film' }], framesPerFrame: null, interlaced: false };
    }
    if (measured?.scan === 'film with pulldown' && !mixed) {
      this.tell('picture', 'film as it is');
      return { ...none, steps: [] };
    }
    const combed = measured ? measured.scan !== 'progressive' : flaggedInterlaced !== false;
    if (deinterlace === 'frames' || deinterlace === 'fields') {
      const fields = deinterlace === 'fields';
      this.tell('picture', fields ? 'fields become frames' : 'deinterlaced by recipe', [], combed ? {} : { weight: 'eyes' });
      return { steps: [this.deinterlacing(true, fields)], framesPerFrame: fields ? 2 : 1, interlaced: false };
    }
    if (!combed) this.tell('picture', measured ? 'not interlaced' : 'not interlaced by flags');
    else if (deinterlace === 'never') this.tell('picture', 'kept interlaced', [], lossless ? {} : { weight: 'eyes' });
    else if (measured) this.tell('picture', 'deinterlaced by samples', [Math.round(measured.combed * 100)]);
    else this.tell('picture', 'deinterlaced by flags');
    if (!combed || deinterlace === 'never')
      return { ...none, steps: [], interlaced: combed && (measured !== null || flaggedInterlaced === true) };
    // Where the whole title is interlaced its flags may lie; elsewhere they say which pictures are.
    const all = measured?.scan === 'interlaced';
    return { steps: [this.deinterlacing(all, false)], framesPerFrame: 1, interlaced: false };
  }

  private deinterlacing(all: boolean, fields: boolean): PictureStep {
    const thorough = this.recipe.picture.deinterlacer === 'thorough';
    if (thorough) this.tell('picture', 'deinterlaced thoroughly');
    return { kind: 'deinterlace', all, fields, thorough };
  }

  /** Drawn after fields have become frames and before bars and size: in their place on the disc's own picture. */
  private drawSteps(): PictureStep[] {
    const { recipe, facts } = this;
    if (recipe.subtitles.drawn === 'none') return [];
    const isDrawable = (codec: SubtitleCodec) => codec !== 'text';
    const first = recipe.subtitles.drawn === 'first';
    const wanted = facts.subtitles.flatMap(({ forced }, subtitle) => (first || forced ? [subtitle] : []));
    const subtitle = (first ? wanted.slice(0, 1) : wanted).find((i) => isDrawable(facts.subtitles[i]?.codec ?? 'text'));
    const codec = facts.subtitles[subtitle ?? -1]?.codec;
    if (subtitle !== undefined && codec) {
      this.tell('subtitles', first ? 'subtitle drawn whole' : 'subtitle drawn', [], { track: subtitle });
      return [{ kind: 'draw', subtitle, text: TEXTS.has(codec) }];
    }
    const [other] = wanted;
    if (other !== undefined) this.tell('subtitles', 'subtitle can not be drawn', [], { track: other, weight: 'eyes' });
    else this.tell('subtitles', first ? 'nothing to draw' : 'nothing forced');
    return [];
  }

  /**
   * Both views become one picture. Subtitles are drawn into each eye's before that: they stand where the screen is. With depth each eye has
   * its own place for them, which of views in turn is only known once they are beside each other.
   */
  private pairSteps(from: 'turns' | 'tracks', drawn: readonly PictureStep[]): PictureStep[] {
    const { packed, subtitleDepth = 0 } = this.facts;
    const { video } = eyeFacts(this.facts);
    const pair: PictureStep = { kind: 'pair', frameMs: video.frameTicks / 27_000, from };
    const shift = 2 * Math.round((subtitleDepth * video.widthPixels) / WIDTH_OF_DEPTH / 2) * (packed?.first === 'right' ? -1 : 1);
    if (shift === 0 || drawn.length === 0) return [...drawn, pair];
    this.tell('subtitles', 'subtitle in depth', [subtitleDepth]);
    const deep = drawn.map((step) => (step.kind === 'draw' ? { ...step, shift } : step));
    return from === 'tracks' ? [...deep, pair] : [pair, ...deep];
  }

  /** Bars to be cut off: as somebody set them, else as they were measured; null where nothing is known. Something stays in any case. */
  private bars(): NonNullable<EncodeFacts['measured']>['bars'] | null {
    const { measured, barsByHand, video } = eyeFacts(this.facts);
    if (!barsByHand) return measured?.bars ?? null;
    this.tell('picture', 'bars by hand');
    const found = measured?.bars;
    const beyond = found ? SIDES.map((side) => Math.max(0, barsByHand[side] - found[side])).reduce((a, b) => a + b) : 0;
    if (beyond > 0) this.tell('picture', 'crop cuts picture', [beyond], { weight: 'eyes' });
    const within = (first: number, second: number, all: number): [number, number] =>
      first + second <= all - LEAST_LEFT ? [first, second] : [0, 0];
    const [top, bottom] = within(barsByHand.top, barsByHand.bottom, video.heightPixels);
    const [left, right] = within(barsByHand.left, barsByHand.right, video.widthPixels);
    return { top, bottom, left, right };
  }

  /** What is done to the picture's shape: bars, size, pixels. */
  private spaceSteps(interlaced: boolean, lossless: boolean): Placed {
    const { video } = eyeFacts(this.facts);
    const { bars, mostRows, pixels, grow, mark } = this.recipe.picture;
    const steps: PictureStep[] = [];
    let [width, height] = [video.widthPixels, video.heightPixels];
    const pixelAspect = (video.displayAspect[0] / video.displayAspect[1]) * (height / width);
    if (bars === 'crop') {
      // Rows of colour stand for two of the picture, and in fields for four: rather a row of the bar too much than one of the picture lost.
      const [column, row] = [2, interlaced ? 4 : 2];
      const cut = (n: number, step: number) => Math.floor(n / step) * step;
      const found = this.bars();
      const [x, y] = [cut(found?.left ?? 0, column), cut(found?.top ?? 0, row)];
      const inner = { width: width - x - cut(found?.right ?? 0, column), height: height - y - cut(found?.bottom ?? 0, row) };
      if (!found) this.tell('picture', 'not measured', [], { weight: 'eyes' });
      else if (inner.width < width || inner.height < height) {
        this.tell('picture', 'bars cropped', [inner.width, inner.height]);
        steps.push({ kind: 'crop', ...inner, x, y });
        ({ width, height } = inner);
      } else this.tell('picture', 'no bars');
    }
    const displayAspect = (width * pixelAspect) / height;
    // Colour has half the rows and columns: encoders take even numbers only, but for lossless ones.
    const whole = (n: number) => (lossless ? n : Math.max(2, n - (n % 2)));
    const larger = mostRows !== null && grow && mostRows > height;
    const rows = mostRows !== null && (larger || mostRows < height) ? even(mostRows) : whole(height);
    // A mark would be drawn in the shape of pixels that are not square.
    const forMark = mark !== null && pixels !== 'square' && Math.abs(pixelAspect - 1) > 0.01;
    if (forMark) this.tell('picture', 'square for the mark');
    const square = pixels === 'square' || forMark;
    const columns = square ? even(rows * displayAspect) : rows === height ? whole(width) : even((width * rows) / height);
    if (columns === width && rows === height) {
      if (Math.abs(pixelAspect - 1) > 0.01) this.tell('picture', 'shape kept', [Math.round(displayAspect * 100) / 100]);
    } else {
      const times = Math.round(((columns * rows) / (width * height)) * 10) / 10;
      if (larger) this.tell('picture', 'enlarged', [width, height, columns, rows, times], { weight: 'eyes' });
      else this.tell('picture', 'scaled', [width, height, columns, rows]);
      steps.push({ kind: 'scale', width: columns, height: rows, square });
      [width, height] = [columns, rows];
    }
    const { turn } = this.recipe.picture;
    if (turn === 'right' || turn === 'left') return { steps, widthPixels: height, heightPixels: width, displayAspect: 1 / displayAspect };
    return { steps, widthPixels: width, heightPixels: height, displayAspect };
  }
}
