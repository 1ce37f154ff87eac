import type { AudioCodec, SubtitleCodec } from '../reading';
import { AC3_KBPS, CARRIES, ENCODES, KBPS, MOST_AC3_CHANNELS, MOST_KBPS, QUALITY } from './codecs';
import type { Container, CopyAudio, CopyVideo, EncodeFacts, Recipe } from './recipe';

/** Why something comes out as it does, as data; the interface has words for it. `eyes`: somebody should know before it is made. */
export interface Reason {
  readonly about: 'video' | 'picture' | 'audio' | 'subtitles';
  readonly code: ReasonCode;
  readonly weight: 'told' | 'eyes';
  /** Track it is about, from 0; null for none. */
  readonly track: number | null;
  /** Figures and names that belong to it, in the order of its words. */
  readonly values: readonly (string | number)[];
}

export type ReasonCode =
  | 'video copied'
  | 'video can not be copied'
  | 'video encoded'
  | 'lossless video'
  | 'codec not in container'
  | 'second view left'
  | 'high dynamic range'
  | 'depth reduced'
  | 'kept interlaced'
  | 'deinterlaced by samples'
  | 'deinterlaced by flags'
  | 'deinterlaced by recipe'
  | 'fields become frames'
  | 'not interlaced'
  | 'not interlaced by flags'
  | 'tuning left'
  | 'film restored'
  | 'film as it is'
  | 'not measured'
  | 'bars cropped'
  | 'no bars'
  | 'scaled'
  | 'shape kept'
  | 'denoised'
  | 'not treated when copied'
  | 'audio copied'
  | 'audio encoded'
  | 'audio lossless'
  | 'audio can not be copied'
  | 'mixed down'
  | 'stereo beside'
  | 'audio left'
  | 'no audio'
  | 'subtitle kept'
  | 'subtitle converted'
  | 'subtitle left'
  | 'subtitles not wanted'
  | 'subtitle drawn'
  | 'subtitle can not be drawn'
  | 'nothing forced'
  | 'brightness figures left';

export interface PlannedAudio {
  /** Track of the reel, from 0. */
  readonly source: number;
  readonly codec: Exclude<CopyAudio, 'as it is'> | 'copy';
  readonly channels: number;
  readonly kbps: number | null;
  /** Put behind the track's own name; empty for a track that is the reel's own. */
  readonly nameSuffix: string;
}
export interface PlannedSubtitle {
  readonly source: number;
  readonly codec: 'copy' | 'text of MP4' | 'WebVTT';
}

export type PictureStep =
  | { readonly kind: 'deinterlace'; readonly all: boolean; readonly fields: boolean }
  | { readonly kind: 'film' }
  | { readonly kind: 'crop'; readonly width: number; readonly height: number; readonly x: number; readonly y: number }
  | { readonly kind: 'scale'; readonly width: number; readonly height: number; readonly square: boolean }
  | { readonly kind: 'denoise'; readonly strong: boolean }
  /** Subtitle pictures of a track of the reel, from 0, drawn where the disc draws them. */
  | { readonly kind: 'draw'; readonly subtitle: number };

/** What is done to a reel for a copy: all that the encoder is told follows from it. */
export interface EncodePlan {
  readonly container: Container;
  readonly video: {
    readonly codec: Exclude<CopyVideo, 'as it is'> | 'copy';
    readonly quality: number | null;
    readonly recipe: Recipe['video'];
    readonly bitDepth: 8 | 10;
    /** Fields stay fields in the copy. */
    readonly interlaced: boolean;
    /** Pictures between two that decoding can begin with. */
    readonly keyFrames: number | null;
    readonly steps: readonly PictureStep[];
    readonly widthPixels: number;
    readonly heightPixels: number;
    readonly displayAspect: number;
    /** Pictures in the copy for each of the source's: null where the material decides. */
    readonly framesPerFrame: 1 | 2 | null;
  };
  readonly audio: readonly PlannedAudio[];
  readonly subtitles: readonly PlannedSubtitle[];
  readonly reasons: readonly Reason[];
}

/** Encoders that know what kind of picture they are given. */
const TUNED: ReadonlySet<CopyVideo> = new Set<CopyVideo>(['H.264', 'HEVC', 'HEVC, 10 bit']);

const TEXTS: ReadonlySet<SubtitleCodec> = new Set<SubtitleCodec>(['SubRip', 'ASS', 'WebVTT']);
const even = (n: number): number => Math.max(2, Math.round(n / 2) * 2);

/** Film whose pulldown is only said by flags has as many combed frames as any film: hardly one in ten. */
const SOFT_COMBED = 0.1;

class Planner {
  readonly reasons: Reason[] = [];

  constructor(
    private readonly recipe: Recipe,
    private readonly facts: EncodeFacts,
  ) {}

  private tell(
    about: Reason['about'],
    code: ReasonCode,
    values: Reason['values'] = [],
    more: Partial<Pick<Reason, 'track' | 'weight'>> = {},
  ) {
    this.reasons.push({ about, code, values, weight: 'told', track: null, ...more });
  }

  video(): EncodePlan['video'] {
    const { recipe, facts } = this;
    const { container } = recipe;
    const { video } = facts;
    const shape = { widthPixels: video.widthPixels, heightPixels: video.heightPixels };
    const displayAspect = video.displayAspect[0] / video.displayAspect[1];
    if (video.twoViews) this.tell('video', 'second view left', [], { weight: 'eyes' });
    const carried = CARRIES[container].video;
    if (recipe.video.codec === 'as it is' && (!carried || carried.has(video.codec))) {
      this.tell('video', 'video copied', [video.codec]);
      if (this.wantsTreatment()) this.tell('picture', 'not treated when copied', [], { weight: 'eyes' });
      const common = { recipe: recipe.video, quality: null, bitDepth: 8, keyFrames: null, steps: [], framesPerFrame: 1 } as const;
      return { codec: 'copy', ...common, ...shape, displayAspect, interlaced: false };
    }
    const codec = this.videoCodec();
    const range = codec === 'FFV1' ? null : QUALITY[codec];
    const quality = range && Math.max(range.best, Math.min(range.least, recipe.video.quality ?? range.usual));
    if (codec === 'FFV1') this.tell('video', 'lossless video', [codec]);
    else this.tell('video', 'video encoded', [codec, quality ?? 0]);
    if (recipe.video.tuning !== 'none' && !TUNED.has(codec)) this.tell('video', 'tuning left', [codec]);
    const deep = codec === 'HEVC, 10 bit' || ((codec === 'AV1' || codec === 'FFV1') && video.bitDepth > 8);
    if (video.dynamicRange !== 'standard' && !deep) this.tell('picture', 'high dynamic range', [video.dynamicRange], { weight: 'eyes' });
    else if (video.bitDepth > 8 && !deep) this.tell('picture', 'depth reduced', [video.bitDepth, 8], { weight: 'eyes' });
    else if (video.dynamicRange !== 'standard') this.tell('picture', 'brightness figures left', [video.dynamicRange], { weight: 'eyes' });
    const lossless = codec === 'FFV1';
    const { steps, framesPerFrame, interlaced } = this.timeSteps(lossless);
    const { steps: placed, ...out } = this.spaceSteps(interlaced, lossless);
    const all = [...steps, ...this.drawSteps(), ...placed];
    if (recipe.picture.denoise !== 'none') {
      this.tell('picture', 'denoised', [recipe.picture.denoise]);
      all.push({ kind: 'denoise', strong: recipe.picture.denoise === 'strong' });
    }
    const rate = 27e6 / video.frameTicks;
    const keyFrames =
      recipe.video.keySeconds === null ? null : Math.max(1, Math.round(recipe.video.keySeconds * rate * (framesPerFrame ?? 1)));
    return { codec, quality, recipe: recipe.video, bitDepth: deep ? 10 : 8, interlaced, keyFrames, steps: all, framesPerFrame, ...out };
  }

  private wantsTreatment(): boolean {
    const { deinterlace, bars, mostRows, pixels, denoise } = this.recipe.picture;
    if (this.recipe.subtitles.drawn === 'forced' && this.facts.subtitles.some((s) => s.forced)) return true;
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
      return { steps: [{ kind: 'deinterlace', all: true, fields }], framesPerFrame: fields ? 2 : 1, interlaced: false };
    }
    if (!combed) this.tell('picture', measured ? 'not interlaced' : 'not interlaced by flags');
    else if (deinterlace === 'never') this.tell('picture', 'kept interlaced', [], lossless ? {} : { weight: 'eyes' });
    else if (measured) this.tell('picture', 'deinterlaced by samples', [Math.round(measured.combed * 100)]);
    else this.tell('picture', 'deinterlaced by flags');
    if (!combed || deinterlace === 'never')
      return { ...none, steps: [], interlaced: combed && (measured !== null || flaggedInterlaced === true) };
    // Where the whole title is interlaced its flags may lie; elsewhere they say which pictures are.
    const all = measured?.scan === 'interlaced';
    return { steps: [{ kind: 'deinterlace', all, fields: false }], framesPerFrame: 1, interlaced: false };
  }

  /** Drawn after fields have become frames and before bars and size: in their place on the disc's own picture. */
  private drawSteps(): PictureStep[] {
    const { recipe, facts } = this;
    if (recipe.subtitles.drawn === 'none') return [];
    const forced = facts.subtitles.flatMap(({ forced: is }, subtitle) => (is ? [subtitle] : []));
    const subtitle = forced.find((i) => !TEXTS.has(facts.subtitles[i]?.codec ?? 'SubRip') && facts.subtitles[i]?.codec !== 'text');
    if (subtitle !== undefined) {
      this.tell('subtitles', 'subtitle drawn', [], { track: subtitle });
      return [{ kind: 'draw', subtitle }];
    }
    const [text] = forced;
    if (text === undefined) this.tell('subtitles', 'nothing forced');
    else this.tell('subtitles', 'subtitle can not be drawn', [], { track: text, weight: 'eyes' });
    return [];
  }

  /** What is done to the picture's shape: bars, size, pixels. */
  private spaceSteps(
    interlaced: boolean,
    lossless: boolean,
  ): { steps: PictureStep[]; widthPixels: number; heightPixels: number; displayAspect: number } {
    const { video, measured } = this.facts;
    const { bars, mostRows, pixels } = this.recipe.picture;
    const steps: PictureStep[] = [];
    let [width, height] = [video.widthPixels, video.heightPixels];
    const pixelAspect = (video.displayAspect[0] / video.displayAspect[1]) * (height / width);
    if (bars === 'crop') {
      // Rows of colour stand for two of the picture, and in fields for four: rather a row of the bar too much than one of the picture lost.
      const [column, row] = [2, interlaced ? 4 : 2];
      const cut = (n: number, step: number) => Math.floor(n / step) * step;
      const found = measured?.bars;
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
    const rows = mostRows !== null && mostRows < height ? even(mostRows) : whole(height);
    const square = pixels === 'square';
    const columns = square ? even(rows * displayAspect) : rows === height ? whole(width) : even((width * rows) / height);
    if (columns === width && rows === height) {
      if (Math.abs(pixelAspect - 1) > 0.01) this.tell('picture', 'shape kept', [Math.round(displayAspect * 100) / 100]);
    } else {
      this.tell('picture', 'scaled', [width, height, columns, rows]);
      steps.push({ kind: 'scale', width: columns, height: rows, square });
      [width, height] = [columns, rows];
    }
    return { steps, widthPixels: width, heightPixels: height, displayAspect };
  }

  audio(): PlannedAudio[] {
    const { audio: wished } = this.recipe;
    const planned: PlannedAudio[] = [];
    if (this.facts.audio.length === 0) this.tell('audio', 'no audio');
    for (const [source, track] of this.facts.audio.entries()) {
      if (wished.tracks === 'first' && source > 0) {
        this.tell('audio', 'audio left', [], { track: source });
        continue;
      }
      planned.push(this.audioTrack(source, track));
      if (!wished.stereoBeside || track.channels <= 2) continue;
      const codec = this.audioCodec(source, track.codec, false);
      this.tell('audio', 'stereo beside', [codec], { track: source });
      planned.push({ source, codec, channels: 2, kbps: this.kbpsOf(codec, 2), nameSuffix: 'stereo' });
    }
    return planned;
  }

  private audioTrack(source: number, { codec: has, channels }: EncodeFacts['audio'][number]): PlannedAudio {
    const { container, audio } = this.recipe;
    const most = audio.mostChannels;
    const carried = CARRIES[container].audio;
    if (audio.codec === 'as it is' && channels <= most && (!carried || carried.has(has))) {
      this.tell('audio', 'audio copied', [has], { track: source });
      return { source, codec: 'copy', channels, kbps: null, nameSuffix: '' };
    }
    const codec = this.audioCodec(source, has, true);
    const out = Math.min(channels, most, codec === 'AC-3' ? MOST_AC3_CHANNELS : 8);
    const kbps = this.kbpsOf(codec, out);
    if (codec === 'FLAC') this.tell('audio', 'audio lossless', [has], { track: source });
    else this.tell('audio', 'audio encoded', [has, codec, kbps ?? 0], { track: source });
    if (out < channels) this.tell('audio', 'mixed down', [channels, out], { track: source });
    return { source, codec, channels: out, kbps, nameSuffix: '' };
  }

  private audioCodec(track: number, has: AudioCodec, told: boolean): Exclude<CopyAudio, 'as it is'> {
    const { container, audio } = this.recipe;
    const allowed = ENCODES[container].audio;
    const instead = (allowed[0] ?? 'AAC') as Exclude<CopyAudio, 'as it is'>;
    if (audio.codec !== 'as it is' && allowed.includes(audio.codec)) return audio.codec;
    if (told)
      this.tell('audio', 'audio can not be copied', [audio.codec === 'as it is' ? has : audio.codec, container, instead], {
        track,
        weight: 'eyes',
      });
    return instead;
  }

  private kbpsOf(codec: Exclude<CopyAudio, 'as it is'>, channels: number): number | null {
    if (codec === 'FLAC') return null;
    const perChannel = Math.min(MOST_KBPS, this.recipe.audio.kbpsPerChannel ?? KBPS[codec]);
    const wished = Math.round(perChannel * Math.min(6, channels));
    if (codec !== 'AC-3') return wished;
    return AC3_KBPS.find((k) => k >= wished) ?? 640;
  }

  subtitles(): PlannedSubtitle[] {
    const { recipe, facts } = this;
    if (recipe.subtitles.kept === 'none') {
      if (facts.subtitles.length > 0) this.tell('subtitles', 'subtitles not wanted', [facts.subtitles.length]);
      return [];
    }
    const planned: PlannedSubtitle[] = [];
    const drawn = (track: number) => this.reasons.some((r) => r.code === 'subtitle drawn' && r.track === track);
    for (const [source, { codec }] of facts.subtitles.entries()) {
      if (drawn(source)) continue;
      if (recipe.container === 'Matroska') {
        planned.push({ source, codec: 'copy' });
        this.tell('subtitles', 'subtitle kept', [], { track: source });
      } else if (TEXTS.has(codec)) {
        planned.push({ source, codec: recipe.container === 'WebM' ? 'WebVTT' : 'text of MP4' });
        this.tell('subtitles', 'subtitle converted', [recipe.container], { track: source });
      } else this.tell('subtitles', 'subtitle left', [recipe.container], { track: source, weight: 'eyes' });
    }
    return planned;
  }
}

/**
 * What a recipe does to a reel, and why. Pure: the same before the reel is queued and when it is made, but for what is
 * only known of the stream itself.
 */
export function planEncode(recipe: Recipe, facts: EncodeFacts): EncodePlan {
  const planner = new Planner(recipe, facts);
  const video = planner.video();
  const audio = planner.audio();
  const subtitles = planner.subtitles();
  return { container: recipe.container, video, audio, subtitles, reasons: planner.reasons };
}
