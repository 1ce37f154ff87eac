import type { EncodePlan, ViewsStep } from './encode-plan';
import { SOUND_ONLY, type EncodeFacts, type MadeLayout, type PACKINGS, type PackedViews, type Recipe, type SeenViews } from './recipe';

/** Pictures that hold what both eyes see: how they are taken apart, and how they are put together again. */

/** Coloured glasses: FFmpeg's name of each. Where there is a choice, the one that is reckoned by least squares. */
const COLOURED: Partial<Readonly<Record<MadeLayout, string>>> = {
  'red and cyan': 'arcd',
  'red and cyan, grey': 'arcg',
  'green and magenta': 'agmd',
  'yellow and blue': 'aybd',
};

/** How eyes lie in a picture of a layout; null where there is one picture for both, or one eye only. */
export function packingOf(layout: MadeLayout): { readonly packing: (typeof PACKINGS)[number]; readonly half: boolean } | null {
  if (layout.startsWith('side by side')) return { packing: 'beside', half: layout.endsWith('half') };
  return layout.startsWith('over-under') ? { packing: 'below', half: layout.endsWith('half') } : null;
}

/** The eye that stands first where a layout has a first one. */
export const firstEye = ({ swapped }: Recipe['views']): 'left' | 'right' => (swapped ? 'right' : 'left');

/** A picture that is wider than this, or not even as wide as that, is two of usual shape in full; else they were squeezed into one. */
const [MOST_ASPECT, LEAST_ASPECT] = [2.8, 1.1];

/** Whether the eyes of a packed picture were squeezed into it. No film is as wide or as high as two of them in full. */
export function isHalf({ packing, from }: SeenViews, displayAspect: readonly [number, number]): boolean {
  if (from) return false;
  const aspect = displayAspect[0] / displayAspect[1];
  return packing === 'beside' ? aspect < MOST_ASPECT : aspect > LEAST_ASPECT;
}

/**
 * What is known of one eye's picture, at the size that it has when it is not squeezed. Of bars only those that no seam hides are known.
 * @returns the facts themselves where they are of one view
 */
export function eyeFacts(facts: EncodeFacts): EncodeFacts {
  const { packed } = facts;
  if (!packed) return facts;
  const beside = packed.packing === 'beside';
  const half = isHalf(packed, facts.video.displayAspect);
  const { widthPixels, heightPixels, displayAspect } = facts.video;
  const outer = <B extends NonNullable<EncodeFacts['barsByHand']>>(bars: B) =>
    beside ? { ...bars, left: 0, right: 0 } : { ...bars, top: 0, bottom: 0 };
  const size = half
    ? {}
    : beside
      ? { widthPixels: Math.floor(widthPixels / 2), displayAspect: [displayAspect[0], displayAspect[1] * 2] as const }
      : { heightPixels: Math.floor(heightPixels / 2), displayAspect: [displayAspect[0] * 2, displayAspect[1]] as const };
  return {
    ...facts,
    video: { ...facts.video, ...size },
    measured: facts.measured && { ...facts.measured, bars: outer(facts.measured.bars) },
    barsByHand: facts.barsByHand ? outer(facts.barsByHand) : null,
  };
}

/** A title with two views as what it is when both are decoded: side by side in full, the view that is decoded first on the left. */
export function pairedFacts(facts: EncodeFacts): EncodeFacts {
  const { widthPixels, displayAspect, baseIsRight = false, viewsApart = false } = facts.video;
  return {
    ...facts,
    video: { ...facts.video, widthPixels: widthPixels * 2, displayAspect: [displayAspect[0] * 2, displayAspect[1]] },
    packed: { packing: 'beside', first: baseIsRight ? 'right' : 'left', from: viewsApart ? 'tracks' : 'turns' },
  };
}

/** Whether a copy of a title with two views has to have both decoded: what shows the first one alone has not. */
export function wantsBothViews({ views, container, video: { codec } }: Recipe, { video }: EncodeFacts): boolean {
  if (!video.twoViews || video.viewsRefused || views.layout === 'kept' || codec === 'as it is' || SOUND_ONLY.has(container)) return false;
  return views.layout !== (video.baseIsRight ? 'right eye' : 'left eye');
}

/**
 * The filters of a step: each eye cut out and treated alike, and both put together. The shape of the result is said afterwards: see `shapeOf`.
 * @param treat the filters for one eye, by a name that labels in them must have; empty for none.
 */
export function viewsFilter({ from, to, first, width, height }: ViewsStep, treat: (eye: string) => string): string {
  const beside = from.packing === 'beside';
  const one = (eye: 'left' | 'right'): string => {
    const second = eye !== from.first;
    const cut = beside ? `crop=floor(iw/2):ih:${second ? 'floor(iw/2)' : '0'}:0` : `crop=iw:floor(ih/2):0:${second ? 'floor(ih/2)' : '0'}`;
    const treated = treat(eye);
    return [`${cut}:exact=1`, ...(treated === '' ? [] : [treated])].join(',');
  };
  if (to === 'left eye' || to === 'right eye') return one(to === 'left eye' ? 'left' : 'right');
  const made = packingOf(to);
  const stack = made?.packing === 'below' ? 'vstack' : 'hstack';
  const squeezed = made?.half
    ? made.packing === 'beside'
      ? `,scale=${width / 2}:${height}:flags=lanczos`
      : `,scale=${width}:${height / 2}:flags=lanczos`
    : '';
  const order = first === 'right' ? '[right][left]' : '[left][right]';
  const coloured = COLOURED[to];
  const mixed = coloured ? `,stereo3d=${first === 'right' ? 'sbsr' : 'sbsl'}:${coloured}` : '';
  return [
    'split[forleft][forright]',
    `[forleft]${one('left')}${squeezed}[left]`,
    `[forright]${one('right')}${squeezed}[right]`,
    `${order}${stack}${mixed}`,
  ].join(';');
}

/** Denominators that any stream and container has room for. */
const MOST_PART = 1000;

/** The shape of a pixel as a fraction, near enough that no picture is a pixel too wide. @param times for containers that describe one eye */
export function shapeOf(
  { widthPixels, heightPixels, displayAspect }: Pick<EncodePlan['video'], 'widthPixels' | 'heightPixels' | 'displayAspect'>,
  times = 1,
): string {
  const shape = (displayAspect * heightPixels * times) / widthPixels;
  let best = { numerator: 1, denominator: 1, error: Number.POSITIVE_INFINITY };
  for (let denominator = 1; denominator <= MOST_PART && best.error > 1e-9; denominator++) {
    const numerator = Math.max(1, Math.round(shape * denominator));
    const error = Math.abs(numerator / denominator - shape);
    if (error < best.error - 1e-9) best = { numerator, denominator, error };
  }
  return `${best.numerator}/${best.denominator}`;
}

/** Matroska says how large one eye's picture is shown (RFC 9559, 5.1.4.1.28.3): a squeezed one as if its pixels were wider, or flatter. */
export function shapeInMatroska(layout: MadeLayout): number {
  const made = packingOf(layout);
  return made?.half ? (made.packing === 'beside' ? 2 : 0.5) : 1;
}

/** What Matroska's StereoMode is called by FFmpeg (RFC 9559, 5.1.4.1.28.3); null for one view, and for glasses, which FFmpeg does not write. */
export function stereoMode(to: MadeLayout, first: 'left' | 'right'): string | null {
  const made = packingOf(to);
  if (made?.packing === 'beside') return first === 'left' ? 'left_right' : 'right_left';
  return made && (first === 'left' ? 'top_bottom' : 'bottom_top');
}

/** How both eyes lie in a copy's picture; null where there is one view, or both became one picture. */
export function packedViews({ views }: Pick<EncodePlan['video'], 'views'>): PackedViews | null {
  const made = views && packingOf(views.layout);
  return made && { packing: made.packing, first: views.first };
}

/** What x264 writes as frame packing arrangement (H.264, D.2.26): side by side and top-bottom, the left eye first. It has no word for the other order. */
export function framePacking(video: Pick<EncodePlan['video'], 'views'>): number | null {
  const packed = packedViews(video);
  if (packed?.first !== 'left') return null;
  return packed.packing === 'beside' ? 3 : 4;
}

/** What a stream could say of both eyes in its picture, and its encoder has no word for: x265 for none of it, x264 not for the right eye first. */
export function unsaidPacking(video: Pick<EncodePlan['video'], 'views' | 'codec'>): { views: PackedViews; codec: 'H.264' | 'HEVC' } | null {
  const views = packedViews(video);
  if (!views) return null;
  if (video.codec === 'HEVC' || video.codec === 'HEVC, 10 bit') return { views, codec: 'HEVC' };
  return video.codec === 'H.264' && framePacking(video) === null ? { views, codec: 'H.264' } : null;
}
