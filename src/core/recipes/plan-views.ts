import { copiesVideo } from './codecs';
import type { EncodePlan, PictureStep } from './encode-plan';
import type { Reasons } from './reasons';
import type { EncodeFacts, MadeLayout, Recipe } from './recipe';
import { eyeFacts, firstEye, isHalf, packingOf } from './views';

/** A picture's shape, and what is done for it. */
export interface Placed {
  readonly steps: PictureStep[];
  readonly widthPixels: number;
  readonly heightPixels: number;
  readonly displayAspect: number;
}

/** Plans what becomes of a picture that holds what both eyes see. */
export class ViewsPlanner {
  constructor(
    private readonly recipe: Recipe,
    private readonly facts: EncodeFacts,
    private readonly reasons: Reasons,
  ) {}

  private readonly tell: Reasons['tell'] = (...reason) => {
    this.reasons.tell(...reason);
  };

  /** How the copy is to hold both eyes; null where there is one view. A picture that is left as it is still says what it holds. */
  wanted(): EncodePlan['video']['views'] {
    const { recipe, facts } = this;
    const { layout } = recipe.views;
    const { packed } = facts;
    if (!packed) {
      if (layout !== 'kept' && !facts.video.twoViews) this.tell('picture', 'one view only');
      return null;
    }
    const half = isHalf(packed, facts.video.displayAspect) ? ', half' : '';
    const kept: MadeLayout = `${packed.packing === 'beside' ? 'side by side' : 'over-under'}${half}`;
    const copied = copiesVideo(recipe, facts.video.codec);
    const wanted = layout === 'kept' || copied ? { layout: kept, first: packed.first } : { layout, first: firstEye(recipe.views) };
    const isPacked = packingOf(wanted.layout) !== null;
    if (layout === 'kept' || copied) this.tell('picture', 'views said', [kept, wanted.first]);
    else this.tell('picture', 'views put', isPacked ? [wanted.layout, wanted.first] : [wanted.layout]);
    if (isPacked && wanted.first === 'right' && recipe.container !== 'Matroska' && recipe.container !== 'WebM')
      this.tell('picture', 'eye order not written', [recipe.container], { weight: 'eyes' });
    return wanted;
  }

  /** Both eyes taken apart and put together, each treated alike. Nothing where that would give the very same picture. */
  steps(
    { layout, first }: NonNullable<EncodePlan['video']['views']>,
    steps: readonly PictureStep[],
    eye: Omit<Placed, 'steps'>,
    lossless: boolean,
  ): Placed {
    const { packed, video } = this.facts;
    const made = packingOf(layout);
    // Squeezed pictures have whole pixels, and even ones but for lossless encoders.
    const step = lossless ? 2 : 4;
    const whole = (n: number) => Math.max(step, n - (n % step));
    const beside = made?.packing === 'beside';
    const width = made?.half && beside ? whole(eye.widthPixels) : eye.widthPixels;
    const height = made?.half && !beside ? whole(eye.heightPixels) : eye.heightPixels;
    const times = (is: boolean) => (made && !made.half && is ? 2 : 1);
    const out = {
      widthPixels: width * times(beside),
      heightPixels: height * times(!beside),
      displayAspect: (eye.displayAspect * times(beside)) / times(!beside),
    };
    if (!packed) return { steps: [], ...out };
    const half = isHalf(packed, video.displayAspect);
    const same = made?.packing === packed.packing && made.half === half && first === packed.first;
    const isWhole = out.widthPixels === video.widthPixels && out.heightPixels === video.heightPixels;
    if (same && steps.length === 0 && isWhole) return { steps: [], ...out };
    // Squeezed eyes get their size back first, unless they are scaled anyway, or squeezed again untouched.
    const alike = half && made?.half && made.packing === packed.packing;
    const scaled = steps[0]?.kind === 'scale' || (alike && steps.length === 0);
    const full = eyeFacts(this.facts).video;
    const stretch: PictureStep[] =
      half && !scaled ? [{ kind: 'scale', width: full.widthPixels, height: full.heightPixels, square: false }] : [];
    return {
      steps: [{ kind: 'views', from: packed, to: layout, first, width, height, steps: [...stretch, ...steps] }],
      ...out,
    };
  }
}
