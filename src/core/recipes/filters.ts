import { allSteps, type EncodePlan, type PictureStep } from './encode-plan';
import { uploadFilter } from './hardware';
import type { Mark } from './recipe';
import { shapeOf, viewsFilter } from './views';

/** What FFmpeg's filters are told, and the files that they read. */

/** Files in the folder where FFmpeg runs, by names that mean nothing to its filters: places on a disk may hold what separates arguments. */
export const BESIDE = {
  /** What is encoded, where a filter reads it for itself. */
  source: 'source.mkv',
  text: 'mark.txt',
  picture: 'mark.png',
  chapters: 'chapters.txt',
  cover: 'cover.jpg',
  weights: 'nnedi3_weights.bin',
} as const;
export type BesideName = keyof typeof BESIDE;

/** The files that an encode by a plan needs beside it. */
export function filesOf(plan: EncodePlan): ReadonlySet<BesideName> {
  const names = new Set<BesideName>();
  for (const step of allSteps(plan)) {
    if (step.kind === 'draw' && step.text) names.add('source');
    if (step.kind === 'mark') names.add(step.mark.kind);
    if (step.kind === 'deinterlace' && step.thorough) names.add('weights');
  }
  if (plan.slower !== 1 && plan.chapters) names.add('chapters');
  if (plan.cover) names.add('cover');
  return names;
}

/** What chapters are for FFmpeg: its own text form. Times in milliseconds of the source; `=`, `;`, `#`, `\` and line ends are escaped. */
export function chapterText(
  chapters: readonly { readonly startMs: number; readonly name: string }[],
  endMs: number,
  slower: number,
): string {
  const at = (ms: number) => Math.round(ms * slower * 1000);
  const parts = chapters.map(({ startMs, name }, i) =>
    [
      '[CHAPTER]',
      'TIMEBASE=1/1000000',
      `START=${at(startMs)}`,
      `END=${at(chapters[i + 1]?.startMs ?? endMs)}`,
      `title=${name.replace(/[=;#\\\n]/g, (c) => `\\${c}`)}`,
    ].join('\n'),
  );
  return [';FFMETADATA1', ...parts, ''].join('\n');
}

/** Away from the edges, in shares of the picture's height: players and televisions hide some of it. */
const MARGIN = 0.04;

/** Where a mark stands: `W`, `H` for the picture and `w`, `h` for the mark, by the names that the filter has for them. */
function placeOf({ corner }: Mark, [W, H, w, h]: readonly [string, string, string, string]): { x: string; y: string } {
  const margin = `${H}*${MARGIN}`;
  if (corner === 'middle') return { x: `(${W}-${w})/2`, y: `(${H}-${h})/2` };
  return {
    x: corner.endsWith('left') ? margin : `${W}-${w}-${margin}`,
    y: corner.startsWith('top') ? margin : `${H}-${h}-${margin}`,
  };
}

function markFilter(mark: Mark, heightPixels: number, eye: string): string {
  const opacity = (mark.opacityPercent / 100).toFixed(2);
  const height = Math.max(4, Math.round((heightPixels * mark.heightPercent) / 100));
  if (mark.kind === 'text') {
    const { x, y } = placeOf(mark, ['w', 'h', 'tw', 'th']);
    const look = `fontcolor=white@${opacity}:borderw=${Math.max(1, Math.round(height / 16))}:bordercolor=black@${opacity}`;
    return `drawtext=textfile=${BESIDE.text}:expansion=none:font=Sans:fontsize=${height}:${look}:x=${x}:y=${y}`;
  }
  const { x, y } = placeOf(mark, ['W', 'H', 'w', 'h']);
  const drawn = `movie=${BESIDE.picture},scale=-1:${height},format=rgba,colorchannelmixer=aa=${opacity}`;
  return `null[unmarked${eye}];${drawn}[mark${eye}];[unmarked${eye}][mark${eye}]overlay=x=${x}:y=${y}`;
}

/** SMPTE ST 2084 and HLG to what usual screens show: linear light, brought within its range, and back (BT.709). */
const TO_STANDARD =
  'zscale=t=linear:npl=100,format=gbrpf32le,zscale=p=bt709,tonemap=tonemap=hable:desat=0,zscale=t=bt709:m=bt709:r=tv,format=yuv420p';

/** Between a copy, a quarter of a picture after its original, and the other eye's picture, half of one after it. */
const LEAST_APART = 0.375;

/** Leaves out copies among pictures of both eyes in turn: second pictures come half a picture later, what comes sooner is one that only decoding needed. */
export const pairsOnly = (frameMs: number): string =>
  `select='isnan(prev_selected_t)+gte(t-prev_selected_t,${((frameMs / 1000) * LEAST_APART).toFixed(6)})'`;

/** Text at the foot of a picture. @param by pixels to the right: it stands in the middle of a picture that is wider on that side for the while. */
function textFilter(subtitle: number, by = 0): string {
  const text = `subtitles=filename=${BESIDE.source}:si=${subtitle}`;
  if (by === 0) return text;
  const [wider, x] = [2 * Math.abs(by), by > 0 ? 0 : -2 * by];
  return `pad=iw+${wider}:ih:${x}:0,${text},crop=iw-${wider}:ih:${x}:0:exact=1`;
}

/** Does something to both views of a picture that holds them side by side. @param treat filters for a view, by its shift to the right. */
const inEachEye = (shift: number, treat: (by: number) => string): string =>
  [
    'split[toone][totwo]',
    `[toone]crop=iw/2:ih:0:0:exact=1,${treat(shift)}[ofone]`,
    `[totwo]crop=iw/2:ih:iw/2:0:exact=1,${treat(-shift)}[oftwo]`,
    '[ofone][oftwo]hstack',
  ].join(';');

/** The filters of a step, by their names in FFmpeg. @param eye put to the names of labels, where there is a chain for each eye. */
function filterOf(step: PictureStep, heightPixels: number, eye = ''): string {
  switch (step.kind) {
    case 'pair': {
      return `${pairsOnly(step.frameMs)},stereo3d=al:sbsl`;
    }
    case 'deinterlace': {
      const which = step.all ? 'all' : 'interlaced';
      if (step.thorough) return `nnedi=weights=${BESIDE.weights}:deint=${which}:field=${step.fields ? 'af' : 'a'}`;
      return `bwdif=mode=${step.fields ? 'send_field' : 'send_frame'}:parity=auto:deint=${which}`;
    }
    case 'film':
      // Fields that the stream only says to repeat are repeated first: then all of it is spread over video alike, and one frame in five is
      // one too many throughout. What matching leaves combed (cuts, titles in video) is deinterlaced; then the frame in five goes.
      return 'repeatfields,fieldmatch=order=auto:combmatch=full,bwdif=mode=send_frame:deint=interlaced,decimate';
    case 'crop':
      return `crop=${step.width}:${step.height}:${step.x}:${step.y}`;
    case 'scale':
      return `scale=${step.width}:${step.height}:flags=lanczos${step.square ? ',setsar=1' : ''}`;
    case 'draw':
      // Pictures are a stream of their own: see `filtersOf`.
      return step.text
        ? step.shift && !step.alone
          ? inEachEye(step.shift, (by) => textFilter(step.subtitle, by))
          : textFilter(step.subtitle, step.shift)
        : '';
    case 'tone':
      return TO_STANDARD;
    case 'mark':
      return markFilter(step.mark, heightPixels, eye);
    case 'views':
      return viewsFilter(step, (of) => step.steps.map((s) => filterOf(s, step.height, of)).join(','));
    case 'turn':
      return { right: 'transpose=1', half: 'hflip,vflip', left: 'transpose=2' }[step.by];
    case 'mirror':
      return 'hflip';
    case 'light':
      return [
        ...(step.brightness !== 0 || step.contrast !== 0 || step.saturation !== 0
          ? [`eq=brightness=${step.brightness / 100}:contrast=${1 + step.contrast / 100}:saturation=${1 + step.saturation / 100}`]
          : []),
        ...(step.hue === 0 ? [] : [`hue=h=${step.hue}`]),
      ].join(',');
    case 'denoise':
      return { light: 'hqdn3d=2:1.5:3:3', strong: 'hqdn3d=6:4.5:9:9', thorough: 'nlmeans=s=2.5:p=7:r=9' }[step.how];
  }
}

const chain = (steps: readonly PictureStep[], video: EncodePlan['video']): string =>
  steps.map((s) => filterOf(s, video.heightPixels)).join(',');

/** What a source says of two views goes with its pictures, whatever is done to them; and of half a picture in half its shape. */
const SAYS_NOTHING = 'sidedata=mode=delete:type=STEREO3D';
function said(video: EncodePlan['video'], filters: string): string {
  if (!video.saysViews || video.codec === 'copy') return filters;
  const shape = video.views ? [`setsar=${shapeOf(video)}`] : [];
  return [SAYS_NOTHING, ...(filters === '' ? [] : [filters]), ...shape].join(',');
}
const isOverlaid = (step: PictureStep | undefined): step is PictureStep & { kind: 'draw' } => step?.kind === 'draw' && !step.text;
/** Each eye has its track. */
export const isOfTracks = (step: PictureStep | undefined): step is PictureStep & { kind: 'pair' } =>
  step?.kind === 'pair' && step.from === 'tracks';

/** The filters of a plan are a graph of several inputs, that ends in `[picture]`: subtitle pictures are drawn in, or each eye has its track. */
export const isGraph = ({ video }: EncodePlan): boolean => video.steps.some((s) => isOverlaid(s) || isOfTracks(s));

const laidOver = (by = 0): string => `overlay=${by === 0 ? '' : `x=${by}:`}eof_action=pass:repeatlast=0`;

/** Subtitle pictures laid over both views of a picture that holds them side by side. */
const laidOverEach = (frames: string, words: string, shift: number, to: string): string =>
  [
    `${words}split[wordsone][wordstwo]`,
    `${frames}split[toone][totwo]`,
    '[toone]crop=iw/2:ih:0:0:exact=1[ofone]',
    '[totwo]crop=iw/2:ih:iw/2:0:exact=1[oftwo]',
    `[ofone][wordsone]${laidOver(shift)}[withone]`,
    `[oftwo][wordstwo]${laidOver(-shift)}[withtwo]`,
    `[withone][withtwo]hstack${to}`,
  ].join(';');

/** Steps for one picture track, with subtitle pictures drawn in. @param name of what comes out. */
function trackGraph(track: string, steps: readonly PictureStep[], video: EncodePlan['video'], others: number, name: string): string {
  const at = steps.findIndex(isOverlaid);
  const draw = steps[at];
  if (!isOverlaid(draw)) return `${track}${chain(steps, video) || 'null'}[${name}]`;
  const before = chain(steps.slice(0, at), video) || 'null';
  const after = chain(steps.slice(at + 1), video) || 'null';
  const overlay = `[${name}frames][${others}:s:${draw.subtitle}]${laidOver(draw.shift)}[${name}drawn]`;
  return `${track}${before}[${name}frames];${overlay};[${name}drawn]${after}[${name}]`;
}

/**
 * The filters of a plan; empty where nothing is done. With subtitle pictures drawn in, or of two tracks, a graph that ends in `[picture]`.
 * @param others input that has what is no picture.
 */
export function filtersOf({ video }: EncodePlan, others = 0): string {
  const { steps } = video;
  const place = steps.findIndex(isOfTracks);
  const pair = steps[place];
  if (isOfTracks(pair)) {
    const ofEye = (i: number) =>
      steps.slice(0, place).map((s) => (s.kind === 'draw' && s.shift ? { ...s, shift: i === 0 ? s.shift : -s.shift, alone: true } : s));
    const eyes = ['one', 'two'].map((name, i) => trackGraph(`[0:v:${i}]`, ofEye(i), video, others, name));
    const after = said(video, chain(steps.slice(place), video)) || 'null';
    // They become pictures in turn: times of two tracks are rounded, and may differ by a little.
    const late = `[two]setpts=PTS+${(pair.frameMs / 2000).toFixed(6)}/TB[late]`;
    return `${eyes.join(';')};${late};[one][late]interleave,${after}[picture]`;
  }
  const at = steps.findIndex(isOverlaid);
  const draw = steps[at];
  if (!isOverlaid(draw)) return said(video, chain(steps, video));
  const before = chain(steps.slice(0, at), video) || 'null';
  const after = said(video, chain(steps.slice(at + 1), video)) || 'null';
  const words = `[${others}:s:${draw.subtitle}]`;
  const drawn = draw.shift ? laidOverEach('[frames]', words, draw.shift, '[drawn]') : `[frames]${words}${laidOver()}[drawn]`;
  return `[0:v:0]${before}[frames];${drawn};[drawn]${after}[picture]`;
}

/** Filters, and more behind them: of a graph, before its end. */
export function behind(filters: string, more: string): string {
  const end = '[picture]';
  if (filters.endsWith(end)) return `${filters.slice(0, -end.length)},${more}${end}`;
  return filters === '' ? more : `${filters},${more}`;
}

/** Filters with what hardware wants behind them. */
export function uploaded({ video: { hardware, bitDepth } }: EncodePlan, filters: string): string {
  const upload = uploadFilter(hardware, bitDepth);
  return upload === '' ? filters : behind(filters, upload);
}

/** Filters with what makes a film slower behind them. */
export function slowed({ slower }: EncodePlan, filters: string): string {
  return slower === 1 ? filters : behind(filters, `settb=AVTB,setpts=PTS*${slower.toFixed(9)}`);
}
