import { stampOf } from '../reading';
import { takesBothViews, type EncodePlan, type PlannedAudio } from './encode-plan';
import { BESIDE, filtersOf, isGraph, isOfTracks, slowed, uploaded } from './filters';
import { deviceArguments, hardwareArguments } from './hardware';
import { HARDWARE_ENCODER, type HardwareName } from './hardware-names';
import type { EncodePiece } from './pieces';
import type { Container, Effort } from './recipe';
import { avcLevel, hevcLevel } from './targets';
import { framePacking, shapeOf } from './views';
import { shapeTimes, shaped, viewsArguments } from './views-arguments';

/** What FFmpeg is told. Everything here comes from a plan: names from its lists, numbers within their bounds. */

const MUXER: Readonly<Record<Container, string>> = {
  Matroska: 'matroska',
  MP4: 'mp4',
  QuickTime: 'mov',
  WebM: 'webm',
  'MPEG transport stream': 'mpegts',
  AVI: 'avi',
  FLAC: 'flac',
  MP3: 'mp3',
  Ogg: 'ogg',
};
export const AUDIO_ENCODER: Readonly<Record<Exclude<PlannedAudio['codec'], 'copy'>, string>> = {
  AAC: 'aac',
  Opus: 'libopus',
  'AC-3': 'ac3',
  'E-AC-3': 'eac3',
  MP3: 'libmp3lame',
  FLAC: 'flac',
  PCM: 'pcm_s24le',
};

/** FFmpeg's encoders by what a plan calls them: what is tried at start. */
export const VIDEO_ENCODER: Readonly<Record<Exclude<EncodePlan['video']['codec'], 'copy'>, string>> = {
  'H.264': 'libx264',
  HEVC: 'libx265',
  'HEVC, 10 bit': 'libx265',
  AV1: 'libsvtav1',
  VP9: 'libvpx-vp9',
  FFV1: 'ffv1',
  'MPEG-2': 'mpeg2video',
  'MPEG-4': 'mpeg4',
};

/** What not every FFmpeg does: filters, and decoding both views of a stereoscopic title. */
export const FILTER_NAMES = ['thorough deinterlacing', 'another speed', 'both views'] as const;

/** What recipes ask of FFmpeg, by the names that they use. */
export type EncoderName = keyof typeof VIDEO_ENCODER | keyof typeof AUDIO_ENCODER | (typeof FILTER_NAMES)[number] | HardwareName;

/** FFmpeg's own name of the encoder of a plan's picture; null where it is copied. */
export function videoEncoderOf({ video: { codec, hardware } }: EncodePlan): string | null {
  if (codec === 'copy') return null;
  return hardware ? HARDWARE_ENCODER[`${hardware} ${codec}` as HardwareName] : VIDEO_ENCODER[codec];
}

/** The encoders that a plan needs, and such filters. */
export const encodersOf = ({ video, audio }: EncodePlan): EncoderName[] => [
  ...new Set([video.codec, ...audio.map((a) => a.codec)].filter((codec) => codec !== 'copy')),
  ...(video.steps.some((s) => s.kind === 'deinterlace' && s.thorough) ? ['thorough deinterlacing' as const] : []),
  ...(audio.some((a) => a.slower && !a.slower.pitchFalls) ? ['another speed' as const] : []),
  ...(takesBothViews({ video }) ? ['both views' as const] : []),
];

const X26X_PRESET: Readonly<Record<Effort, string>> = { little: 'veryfast', medium: 'medium', much: 'slow' };
const AV1_PRESET: Readonly<Record<Effort, number>> = { little: 10, medium: 8, much: 5 };
const VP9_SPEED: Readonly<Record<Effort, number>> = { little: 5, medium: 3, much: 1 };

const pixelFormat = (bitDepth: 8 | 10): string => (bitDepth === 10 ? 'yuv420p10le' : 'yuv420p');

/** Which pass it is of those that a rate takes, and where the first leaves what it has seen. */
export interface Pass {
  readonly number: 1 | 2;
  /** Path without an ending; nothing in it that separates arguments. */
  readonly log: string;
}

/** How large: by quality, or by an average rate that may be a half above for two seconds. */
function sizeArguments({ video }: EncodePlan, quality: string, pass: Pass | null): string[] {
  const { rate, codec } = video;
  if (!rate) return [quality, String(video.quality)];
  const kbps = `${rate.kbps}k`;
  const bounds = codec === 'AV1' || codec === 'VP9' ? [] : ['-maxrate', `${Math.round(rate.kbps * 1.5)}k`, '-bufsize', `${rate.kbps * 2}k`];
  // x265 takes its passes with its own parameters: see below.
  const passes = pass && !codec.startsWith('HEVC') ? ['-pass', String(pass.number), '-passlogfile', pass.log] : [];
  return ['-b:v', kbps, ...bounds, ...passes];
}

/** ST 2086 and CTA-861.3 as x265 takes them: green, blue, red, white, then luminance from and to. */
function figuresOf(figures: EncodePlan['video']['brightness']): string[] {
  const { display = null, light = null } = figures ?? {};
  const [gx, gy, bx, by, rx, ry, wx, wy] = display?.primaries ?? [];
  return [
    ...(display ? [`master-display=G(${gx},${gy})B(${bx},${by})R(${rx},${ry})WP(${wx},${wy})L(${display.most},${display.least})`] : []),
    ...(light ? [`max-cll=${light.content},${light.picture}`] : []),
    ...(figures ? ['hdr10=1', 'repeat-headers=1'] : []),
  ];
}

/** The same as SVT-AV1 takes them: chromaticities from 0 to 1, luminance in cd/m². */
function figuresOfAv1({ brightness, steps, nominal }: EncodePlan['video']): string[] {
  const { display = null, light = null } = brightness ?? {};
  const [gx, gy, bx, by, rx, ry, wx, wy] = display?.primaries.map((p) => p / 50_000) ?? [];
  const [most, least] = [(display?.most ?? 0) / 10_000, (display?.least ?? 0) / 10_000];
  const all = [
    ...(display ? [`mastering-display=G(${gx},${gy})B(${bx},${by})R(${rx},${ry})WP(${wx},${wy})L(${most},${least})`] : []),
    ...(light ? [`content-light=${light.content},${light.picture}`] : []),
    ...(steps.some(isOfTracks) ? [`fps-num=${nominal.numerator}`, `fps-denom=${nominal.denominator}`] : []),
  ];
  return all.length === 0 ? [] : ['-svtav1-params', all.join(':')];
}

/** Of two tracks in turn FFmpeg knows no rate, and tells its encoders that of the clock instead: as x264 and x265 are told the true one. */
const rateOfTracks = ({ steps, nominal }: EncodePlan['video']): string[] =>
  steps.some(isOfTracks) ? [`fps=${nominal.numerator}/${nominal.denominator}`] : [];

function videoArguments(plan: EncodePlan, pass: Pass | null = null): string[] {
  const { video } = plan;
  const { codec, recipe, bitDepth, interlaced, keyFrames } = video;
  if (plan.soundOnly) return [];
  if (codec === 'copy') return ['-c:v:0', 'copy'];
  if (video.hardware) return [...hardwareArguments(plan, video.hardware), ...(keyFrames === null ? [] : ['-g:v:0', String(keyFrames)])];
  // Without loss means with the colour that the source has, whatever its sampling.
  const format = codec === 'FFV1' ? [] : ['-pix_fmt:v:0', pixelFormat(bitDepth)];
  const common = ['-c:v:0', VIDEO_ENCODER[codec], ...format];
  const keys = keyFrames === null ? [] : ['-g', String(keyFrames)];
  const crf = sizeArguments(plan, '-crf', pass);
  const tune = recipe.tuning === 'none' ? [] : ['-tune', recipe.tuning];
  // One frame after another as they stand in the field order that the stream says.
  const fields = interlaced ? ['-flags', '+ilme+ildct'] : [];
  // The stream says how its picture is shaped as a whole, whatever the container says of one eye's.
  const whole = shapeTimes(plan) === 1 ? '' : `:sample_aspect_ratio=${shapeOf(video)}`;
  switch (codec) {
    case 'H.264': {
      const level = avcLevel(video.widthPixels, video.heightPixels, video.picturesPerSecond);
      const profile = ['-profile:v:0', 'high', ...(level ? ['-level', level] : [])];
      // Written as the clock of the stream, two ticks a picture (H.264 E.2.1): x264 would write that of the times, 90,000 pictures a second.
      const { numerator, denominator } = video.nominal;
      const clock = ['-bsf:v:0', `h264_metadata=tick_rate=${2 * numerator}/${denominator}${whole}`];
      const packing = framePacking(video);
      const params = [...(packing === null ? [] : [`frame-packing=${packing}`]), ...rateOfTracks(video)];
      const views = params.length === 0 ? [] : ['-x264-params', params.join(':')];
      return [...common, ...crf, '-preset', X26X_PRESET[recipe.effort], ...tune, ...profile, ...views, ...clock, ...fields, ...keys];
    }
    case 'HEVC':
    case 'HEVC, 10 bit': {
      const film = recipe.tuning === 'film' ? [] : tune; // x265 knows grain and animation
      const passes = pass && video.rate ? [`pass=${pass.number}`, `stats=${pass.log}.x265`] : [];
      const level = hevcLevel(video.widthPixels, video.heightPixels, video.picturesPerSecond);
      const own = [
        'log-level=error',
        ...(level ? [`level-idc=${level}`, 'high-tier=0'] : []),
        ...(interlaced ? ['interlace=tff'] : []),
        ...rateOfTracks(video),
        ...figuresOf(video.brightness),
        ...passes,
      ];
      return [
        ...common,
        ...crf,
        '-preset',
        X26X_PRESET[recipe.effort],
        ...film,
        '-x265-params',
        own.join(':'),
        '-tag:v:0',
        'hvc1',
        ...(whole === '' ? [] : ['-bsf:v:0', `hevc_metadata=${whole.slice(1)}`]),
        ...keys,
      ];
    }
    case 'AV1':
      return [...common, ...crf, '-preset', String(AV1_PRESET[recipe.effort]), ...figuresOfAv1(video), ...keys];
    case 'VP9': {
      const speed = ['-deadline', 'good', '-cpu-used', String(VP9_SPEED[recipe.effort]), '-row-mt', '1'];
      return [...common, ...crf, ...(video.rate ? [] : ['-b:v', '0']), ...speed, ...keys];
    }
    case 'MPEG-2':
    case 'MPEG-4':
      return [...common, ...sizeArguments(plan, '-q:v', pass), '-bf', '2', ...(codec === 'MPEG-2' ? fields : []), ...keys];
    case 'FFV1':
      return [...common, '-level', '3', '-g', '1', '-slices', '16', '-slicecrc', '1', '-context', '1', '-coder', '1'];
  }
}

const LAYOUT: Readonly<Record<number, string>> = { 1: 'mono', 2: 'stereo', 3: '2.1', 4: 'quad', 5: '5.0', 6: '5.1', 7: '6.1', 8: '7.1' };

/** A track as it will be heard, before it is made louder or softer. */
const mixOf = ({ channels }: Pick<PlannedAudio, 'channels'>): string[] => {
  const layout = LAYOUT[channels];
  return layout ? [`aformat=channel_layouts=${layout}`] : [];
};

/** What is asked of the sound rate where its pitch changes with the speed. */
const SOUND_RATE = 48_000;

/** Slower, from its first sample on: sound that begins late begins later. Holes are filled before, or what follows would come too early. */
function slowerSound({ by, pitchFalls }: NonNullable<PlannedAudio['slower']>): string[] {
  const filled = `aresample=${SOUND_RATE}:async=1:min_hard_comp=0.05`;
  // Another rate for the same samples: their times go with it.
  if (pitchFalls) return [filled, `asetrate=${Math.round(SOUND_RATE / by)}`, `aresample=${SOUND_RATE}`];
  return [filled, `asetpts=PTS+STARTPTS*${(by - 1).toFixed(9)}`, `rubberband=tempo=${(1 / by).toFixed(9)}:pitchq=quality`];
}

/** Louder, softer, later, earlier. */
function soundFilters(track: PlannedAudio): string[] {
  const { gainDb, delayMs, slower } = track;
  const filters: string[] = slower ? slowerSound(slower) : [];
  if (gainDb !== 0) filters.push(...mixOf(track), `volume=${gainDb}dB`);
  if (delayMs > 0) filters.push(`adelay=${delayMs}:all=1`);
  if (delayMs < 0) filters.push(`atrim=start=${-delayMs / 1000},asetpts=PTS-STARTPTS`);
  return filters;
}

/** Measures how loud a planned track is: EBU R 128, over all of it. What it says is read by `loudnessOf`. */
export const loudnessArguments = (track: PlannedAudio, input: string): string[] => [
  ...[
    '-hide_banner',
    '-nostdin',
    '-nostats',
    '-loglevel',
    'info',
    ...(track.ownMix ? mixOption(track) : []),
    '-f',
    'matroska',
    '-i',
    input,
    '-vn',
    '-sn',
    '-map',
    `0:a:${track.source}`,
  ],
  ...['-af', [...mixOf(track), 'ebur128=peak=true:framelog=verbose'].join(','), '-f', 'null', '-'],
];

/** Integrated loudness in LUFS and true peak in dB below full scale; null where nothing was heard. */
export function loudnessOf(messages: readonly string[]): { readonly lufs: number; readonly peakDb: number } | null {
  const find = (pattern: RegExp) =>
    Number(
      [...messages]
        .reverse()
        .find((m) => pattern.test(m))
        ?.match(pattern)?.[1] ?? Number.NaN,
    );
  const [lufs, peakDb] = [find(/\bI:\s*(-?[\d.]+) LUFS/), find(/\bPeak:\s*(-?[\d.]+) dBFS/)];
  return Number.isFinite(lufs) && Number.isFinite(peakDb) && lufs > -70 ? { lufs, peakDb } : null;
}

/** Nothing is made so loud that it clips: EBU R 128 asks for no more than -1 dB true peak. */
const MOST_PEAK_DB = -1;

/** The plan with every track as much louder or softer as it takes to be as loud as was wished. @param found by track as it is planned. */
export function withLoudness(plan: EncodePlan, found: readonly ({ readonly lufs: number; readonly peakDb: number } | null)[]): EncodePlan {
  return {
    ...plan,
    audio: plan.audio.map((track, i) => {
      const measured = found[i];
      if (track.loudness === null || !measured) return track;
      const wanted = track.loudness - measured.lufs;
      return { ...track, gainDb: Math.round(Math.min(wanted, Math.max(0, MOST_PEAK_DB - measured.peakDb)) * 100) / 100 };
    }),
  };
}

const mixOption = ({ source, channels }: PlannedAudio): string[] => [`-downmix:a:${source}`, channels === 1 ? 'mono' : 'stereo'];

/**
 * What decoders of an input are told: how to mix down. One decoder does one thing: where a track is also wanted as it is, or mixed
 * otherwise, that needs an input of its own.
 */
function mixes(audio: readonly PlannedAudio[]): { readonly options: string[]; readonly apart: readonly PlannedAudio[] } {
  const isAlone = (track: PlannedAudio) => audio.every((t) => t === track || t.source !== track.source);
  const own = audio.filter((t) => t.ownMix);
  return { options: own.filter(isAlone).flatMap(mixOption), apart: own.filter((t) => !isAlone(t)) };
}

/** Files of sound have no times: what begins late begins with silence, and holes are filled. */
const WITHOUT_TIMES = ['aresample=async=1:first_pts=0'];

function audioArguments({ audio, soundOnly }: EncodePlan, master: number, apart: ReadonlyMap<PlannedAudio, number>): string[] {
  const held = soundOnly ? WITHOUT_TIMES : [];
  return audio.flatMap((track, i) => {
    const input = apart.get(track) ?? master;
    const { source, codec, channels, kbps, nameSuffix } = track;
    const filters = codec === 'copy' ? [] : [...soundFilters(track), ...held];
    return [
      '-map',
      `${input}:a:${source}`,
      `-c:a:${i}`,
      codec === 'copy' ? 'copy' : AUDIO_ENCODER[codec],
      ...(codec === 'copy' ? [] : [`-ac:a:${i}`, String(channels)]),
      ...(kbps === null ? [] : [`-b:a:${i}`, `${kbps}k`]),
      ...(codec === 'Opus' && channels > 2 ? [`-mapping_family:a:${i}`, '1'] : []),
      ...(filters.length === 0 ? [] : [`-filter:a:${i}`, filters.join(',')]),
      ...(nameSuffix === '' ? [] : [`-metadata:s:a:${i}`, `title=${nameSuffix}`]),
    ];
  });
}

/**
 * Inputs beside the master: the master once more for what its decoders are told twice, or with times that are those of the copy
 * already (another speed is not a matter of filters for what is no sound or picture); and files.
 */
function furtherInputs(plan: EncodePlan, master: string, next: number): { readonly inputs: string[]; readonly at: FurtherInputs } {
  const inputs: string[] = [];
  const mixed = new Map<PlannedAudio, number>();
  const at: { -readonly [K in keyof FurtherInputs]: FurtherInputs[K] } = { subtitles: null, chapters: null, cover: null, mixed };
  for (const track of mixes(plan.audio).apart) {
    inputs.push(...mixOption(track), '-f', 'matroska', '-i', master);
    mixed.set(track, next++);
  }
  if (plan.slower !== 1 && plan.subtitles.length > 0) {
    inputs.push('-itsscale', plan.slower.toFixed(9), '-f', 'matroska', '-i', master);
    at.subtitles = next++;
  }
  if (plan.slower !== 1 && plan.chapters) {
    inputs.push('-f', 'ffmetadata', '-i', BESIDE.chapters);
    at.chapters = next++;
  }
  if (plan.cover && plan.container !== 'Matroska') {
    inputs.push('-f', 'image2', '-i', BESIDE.cover);
    at.cover = next++;
  }
  return { inputs, at };
}
interface FurtherInputs {
  readonly mixed: ReadonlyMap<PlannedAudio, number>;
  readonly subtitles: number | null;
  readonly chapters: number | null;
  readonly cover: number | null;
}

/** A cover: a picture of its own in MP4, an attachment in Matroska. */
function coverArguments(plan: EncodePlan, input: number | null): string[] {
  if (!plan.cover) return [];
  if (input !== null) {
    const at = plan.soundOnly ? 0 : 1;
    return ['-map', `${input}:v:0`, `-c:v:${at}`, 'copy', `-disposition:v:${at}`, 'attached_pic'];
  }
  return ['-attach', BESIDE.cover, '-metadata:s:t:0', 'mimetype=image/jpeg', '-metadata:s:t:0', 'filename=cover.jpg'];
}

function subtitleArguments({ subtitles }: EncodePlan, input: number): string[] {
  const codec = { copy: 'copy', 'text of MP4': 'mov_text', WebVTT: 'webvtt' } as const;
  if (subtitles.length === 0) return ['-sn'];
  return subtitles.flatMap(({ source, codec: c }, i) => ['-map', `${input}:s:${source}`, `-c:s:${i}`, codec[c]]);
}

const QUIET = ['-hide_banner', '-nostdin', '-y', '-loglevel', 'warning', '-progress', 'pipe:1'];

/** Pictures come when they come: a rate is never guessed. */
const timesOf = ({ video }: EncodePlan): string[] => {
  if (video.codec === 'copy') return [];
  const { constant } = video;
  if (constant) return ['-fps_mode:v:0', 'cfr', '-r:v:0', `${constant.numerator}/${constant.denominator}`];
  // Else times are rounded to pictures of the nominal rate: film that is only flagged to be spread would show two at one moment.
  const { numerator, denominator } = video.nominal;
  // It has no room for another rate than that of its clock, and of two tracks no other is known.
  const isByClock = video.codec === 'MPEG-2' && video.steps.some(isOfTracks);
  const clock = ['-enc_time_base:v:0', isByClock ? `${denominator}/${numerator}` : video.codec === 'MPEG-4' ? '1/60000' : '1/90000'];
  return [...clock, '-fps_mode:v:0', video.steps.some((s) => s.kind === 'film') ? 'vfr' : 'passthrough'];
};

function containerArguments({ container, audio }: EncodePlan, output: string): string[] {
  const front = container === 'MP4' || container === 'QuickTime' ? ['-movflags', '+faststart'] : [];
  // FLAC has its place in MP4 (FLAC in ISO Base Media File Format 0.0.4), but FFmpeg 5 wants to be asked for it.
  const flac = container === 'MP4' && audio.some((a) => a.codec === 'FLAC' || a.codec === 'copy') ? ['-strict', '-2'] : [];
  return [...front, ...flac, '-max_muxing_queue_size', '4096', '-f', MUXER[container], output];
}

/** What a file of sound says of itself, as its players know it. */
export type FileTags = Partial<Readonly<Record<'title' | 'album' | 'track' | 'language', string>>>;
/** Chapters of the master, for a container whose own FFmpeg does not write well. */
export interface Marks {
  readonly chapters?: readonly { readonly startMs: number; readonly name: string }[];
}

/**
 * Chapters of Ogg are comments (the chapter extension of Vorbis comments). FFmpeg rounds their seconds up where half of one has passed, so
 * they are written as the comments that they are: of the stream, for those of the file get out of order.
 */
function oggChapters({ container, chapters, slower }: EncodePlan, marks: Marks['chapters'] = []): string[] | null {
  if (container !== 'Ogg' || !chapters) return null;
  return marks.flatMap(({ startMs, name }, i) => {
    const key = `CHAPTER${String(i).padStart(3, '0')}`;
    return ['-metadata:s:a:0', `${key}=${stampOf(startMs * slower)}`, '-metadata:s:a:0', `${key}NAME=${name}`];
  });
}

/**
 * Everything that FFmpeg is told to make a copy by a plan, from a master's file.
 * @param input what FFmpeg reads: a file, or `pipe:0`. @param log where a first pass has left what it saw; see `firstPassArguments`.
 * @param master where everything but the picture is, if that is another file.
 */
export function encoderArguments(
  plan: EncodePlan,
  input: string,
  output: string,
  log = '',
  { chapters, ...tags }: FileTags & Marks = {},
  master = input,
): string[] {
  const apart = master !== input;
  const others = apart ? 1 : 0;
  const filters = uploaded(plan, shaped(plan, slowed(plan, filtersOf(plan, others))));
  const pass = plan.video.rate?.passes === 2 ? { number: 2 as const, log } : null;
  const marks = oggChapters(plan, chapters);
  const { inputs, at } = furtherInputs(plan, master, others + 1);
  const { options } = mixes(plan.audio);
  return [
    ...QUIET,
    ...deviceArguments(plan.video.hardware),
    // Each input keeps its clock: a picture that begins after its sound would else be put to its beginning.
    ...(apart ? ['-copyts', '-thread_queue_size', '512', '-f', 'matroska', '-i', input] : []),
    ...[...options, '-f', 'matroska', '-i', master],
    ...inputs,
    ...(plan.soundOnly ? [] : isGraph(plan) ? ['-filter_complex', filters, '-map', '[picture]'] : ['-map', '0:v:0']),
    ...audioArguments(plan, others, at.mixed),
    ...subtitleArguments(plan, at.subtitles ?? others),
    ...coverArguments(plan, at.cover),
    ...['-map_chapters', marks ? '-1' : String(at.chapters ?? others), '-map_metadata', String(others), ...(marks ?? [])],
    ...(apart ? ['-map_metadata:s:v:0', '1:s:v:0'] : []),
    ...(plan.soundOnly ? Object.entries(tags).flatMap(([name, value]) => ['-metadata', `${name}=${value}`]) : []),
    ...(filters === '' || isGraph(plan) || plan.soundOnly ? [] : ['-filter:v:0', filters]),
    ...timesOf(plan),
    ...videoArguments(plan, pass),
    ...viewsArguments(plan),
    ...containerArguments(plan, output),
  ];
}

/** The first of two passes: the picture alone is looked through, and nothing kept but what the second needs. */
export function firstPassArguments(plan: EncodePlan, input: string, log: string, master = input): string[] {
  const apart = master !== input;
  const filters = slowed(plan, filtersOf(plan, apart ? 1 : 0));
  return [
    ...QUIET,
    ...(apart ? ['-copyts'] : []),
    ...['-f', 'matroska', '-i', input],
    ...(apart ? ['-f', 'matroska', '-i', master] : []),
    ...(isGraph(plan) ? ['-filter_complex', filters, '-map', '[picture]'] : ['-map', '0:v:0']),
    ...['-an', '-sn', '-map_chapters', '-1'],
    ...(filters === '' || isGraph(plan) ? [] : ['-filter:v:0', filters]),
    ...timesOf(plan),
    ...videoArguments(plan, { number: 1, log }),
    ...['-f', 'null', '-'],
  ];
}

const seconds = (ms: number): string => (ms / 1000).toFixed(6);

/**
 * One piece of the picture, by the times of its source: see `divideEncode`. It is Matroska, whatever the copy will be.
 * @param input a file, or a pipe that begins where the piece does, on the source's clock.
 */
export function pieceArguments(plan: EncodePlan, { fromMs, toMs, seekMs, warmUpMs }: EncodePiece, input: string, output: string): string[] {
  const trim = (start: number | null, end: number | null) =>
    start === null && end === null
      ? []
      : [`trim=${[start === null ? '' : `start=${seconds(start)}`, end === null ? '' : `end=${seconds(end)}`].filter(Boolean).join(':')}`];
  const cut = [...trim(warmUpMs, null), ...(filtersOf(plan) ? [filtersOf(plan)] : []), ...trim(fromMs, toMs)];
  const filters = shaped(plan, slowed(plan, cut.join(',')));
  return [
    ...QUIET,
    ...['-copyts', '-seek_timestamp', '1', ...(seekMs === null || input === 'pipe:0' ? [] : ['-ss', seconds(seekMs)]), '-noaccurate_seek'],
    ...['-f', 'matroska', '-i', input, '-map', '0:v:0', '-map_chapters', '-1'],
    ...(filters === '' ? [] : ['-filter:v:0', filters]),
    ...timesOf(plan),
    ...videoArguments(plan),
    ...viewsArguments({ ...plan, container: 'Matroska' }),
    ...['-f', 'matroska', output],
  ];
}

/**
 * A picture that was encoded apart and everything else of a copy, put together. The sound is encoded on the way, whole: what encoders
 * put before its first sample would be lost of a file of its own, and it would then be late by that.
 * @param picture Matroska: the pieces joined, on the clock of the copy. @param master for what else is in it.
 */
export function joinArguments(plan: EncodePlan, picture: string, master: string, output: string): string[] {
  const { inputs, at } = furtherInputs(plan, master, 2);
  return [
    ...QUIET,
    // Each input keeps its clock: a picture that begins after its sound would else be put to its beginning.
    ...['-copyts', '-thread_queue_size', '512', '-f', 'matroska', '-i', picture],
    ...[...mixes(plan.audio).options, '-f', 'matroska', '-i', master],
    ...inputs,
    ...['-map', '0:v:0', '-c:v:0', 'copy', ...(plan.video.codec.startsWith('HEVC') ? ['-tag:v:0', 'hvc1'] : [])],
    ...audioArguments(plan, 1, at.mixed),
    ...subtitleArguments(plan, at.subtitles ?? 1),
    ...coverArguments(plan, at.cover),
    ...['-map_chapters', String(at.chapters ?? 1), '-map_metadata', '1', '-map_metadata:s:v:0', '1:s:v:0'],
    ...viewsArguments(plan),
    ...containerArguments(plan, output),
  ];
}
