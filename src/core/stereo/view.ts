import { B, I, type SliceHeader } from './slice-header';

/** A decoded frame, as far as references and orders are concerned. */
export interface Picture {
  readonly view: 0 | 1;
  frameNum: number;
  /** Order counts of both fields, and the smaller. */
  top: number;
  bottom: number;
  order: number;
  picNum: number;
  /** Long-term index in its view; null for a short-term reference. */
  long: number | null;
  /** It was never coded: a gap in frame numbers stands for it. 8.2.5.2. */
  readonly exists: boolean;
  /** It, or what it refers to, is missing: nothing may be predicted from it. */
  broken: boolean;
  /** Its number in what is written. */
  outFrameNum: number;
  /** Its long-term index there; null while it is a short-term one. */
  outLong: number | null;
  /** The picture that stands for it in lists of its dependent one: see `copyPicture`. */
  copy: Picture | null;
}

export type Lists = readonly [readonly (Picture | null)[], readonly (Picture | null)[]];

const NO_LISTS: Lists = [[], []];

/** A picture of a view of which nothing is known yet. */
export const newPicture = (view: 0 | 1, exists = true): Picture => ({
  ...{ view, frameNum: 0, top: 0, bottom: 0, order: 0, picNum: 0, long: null },
  ...{ exists, broken: false, outFrameNum: 0, outLong: null, copy: null },
});

type Counted = Pick<SliceHeader, 'sequence' | 'frameNum' | 'orderLsb' | 'deltaBottom' | 'delta'> & {
  unit: Pick<SliceHeader['unit'], 'idr' | 'referenceIdc'>;
};

/**
 * One view's orders, lists and references, frames only; never shared between views.
 * Spec: ITU-T H.264 8.2.1 (order counts), 8.2.4 (lists), 8.2.5 (marking), H.8.2 and H.8.3 (the same for views).
 */
export class View {
  /** What it refers to, in no order. */
  refs: Picture[] = [];
  private lastRefFrameNum = 0;
  private msb = 0;
  private lastMsb = 0;
  private lastLsb = 0;
  private offset = 0;
  private lastOffset = 0;
  private lastFrameNum = 0;

  constructor(private readonly number: 0 | 1) {}

  /** 8.2.1: of the top field and of the bottom field. */
  private orders({ sequence, unit, frameNum, orderLsb, deltaBottom, delta }: Counted): [number, number] {
    if (sequence.orderType === 0) {
      const most = 2 ** sequence.orderBits;
      if (unit.idr) this.lastMsb = this.lastLsb = 0;
      let msb = this.lastMsb;
      if (orderLsb < this.lastLsb && this.lastLsb - orderLsb >= most / 2) msb += most;
      else if (orderLsb > this.lastLsb && orderLsb - this.lastLsb > most / 2) msb -= most;
      this.msb = msb;
      return [msb + orderLsb, msb + orderLsb + deltaBottom];
    }
    const most = 2 ** sequence.frameNumBits;
    this.offset = unit.idr ? 0 : this.lastFrameNum > frameNum ? this.lastOffset + most : this.lastOffset;
    const isReference = unit.referenceIdc !== 0;
    const { cycle } = sequence;
    if (!cycle) {
      const order = unit.idr ? 0 : 2 * (this.offset + frameNum) - (isReference ? 0 : 1);
      return [order, order];
    }
    const { offsets } = cycle;
    let count = offsets.length > 0 ? this.offset + frameNum : 0;
    if (!isReference && count > 0) count--;
    let expected = isReference ? 0 : cycle.nonReference;
    if (count > 0) {
      const [cycles, into] = [Math.floor((count - 1) / offsets.length), (count - 1) % offsets.length];
      expected += cycles * offsets.reduce((sum, o) => sum + o, 0) + offsets.slice(0, into + 1).reduce((sum, o) => sum + o, 0);
    }
    const top = expected + delta[0];
    return [top, top + cycle.topToBottom + delta[1]];
  }

  /** Pictures that were never coded take their places: 8.2.5.2. No more of them than there are places. */
  private fillGap(header: SliceHeader): void {
    const { sequence, frameNum } = header;
    const most = 2 ** sequence.frameNumBits;
    const count = Math.min((frameNum - this.lastRefFrameNum - 1 + most) % most, Math.max(1, sequence.references));
    for (let k = count; k > 0; k--) {
      const number = (frameNum - k + most) % most;
      const missing = { ...newPicture(this.number, false), frameNum: number };
      if (sequence.orderType !== 0) {
        const unit = { idr: false, referenceIdc: 1 };
        [missing.top, missing.bottom] = this.orders({ sequence, unit, frameNum: number, orderLsb: 0, deltaBottom: 0, delta: [0, 0] });
        missing.order = Math.min(missing.top, missing.bottom);
        this.lastOffset = this.offset;
        this.lastFrameNum = number;
      }
      this.see(number, most);
      this.slide(sequence.references);
      this.refs.push(missing);
      this.lastRefFrameNum = number;
    }
  }

  /** 8.2.4.1: the picture numbers of short-term references, as this picture sees them. */
  private see(frameNum: number, most: number): void {
    for (const p of this.refs) p.picNum = p.frameNum > frameNum ? p.frameNum - most : p.frameNum;
  }

  /** A picture begins. @returns true where numbers before it are missing. */
  begin(picture: Picture, header: SliceHeader): boolean {
    const { unit, frameNum, sequence } = header;
    const most = 2 ** sequence.frameNumBits;
    if (unit.idr) {
      this.refs = [];
      this.lastRefFrameNum = 0;
    }
    const gap = !unit.idr && frameNum !== this.lastRefFrameNum && frameNum !== (this.lastRefFrameNum + 1) % most;
    if (gap) this.fillGap(header);
    [picture.top, picture.bottom] = this.orders(header);
    picture.order = Math.min(picture.top, picture.bottom);
    picture.frameNum = frameNum;
    this.see(frameNum, most);
    return gap;
  }

  /** 8.2.4.2: lists before any command, without the inter-view picture. */
  private initial(picture: Picture, { kind, sequence }: SliceHeader): [Picture[], Picture[]] {
    const long = this.refs.filter((p) => p.long !== null).sort((a, b) => (a.long as number) - (b.long as number));
    const short = this.refs.filter((p) => p.long === null);
    if (kind !== B) return [[...short].sort((a, b) => b.picNum - a.picNum).concat(long), []];
    const ordered = short.filter((p) => p.exists || sequence.orderType !== 0);
    const before = ordered.filter((p) => p.order < picture.order).sort((a, b) => b.order - a.order);
    const after = ordered.filter((p) => p.order > picture.order).sort((a, b) => a.order - b.order);
    const [first, second] = [
      [...before, ...after, ...long],
      [...after, ...before, ...long],
    ];
    if (second.length > 1 && first.every((p, i) => p === second[i])) second.splice(0, 2, second[1] as Picture, second[0] as Picture);
    return [first, second];
  }

  /**
   * The lists of a slice. 8.2.4.3, H.8.2.
   * @param base the base view's picture of the same moment; null in the base view itself. @returns null at places that hold nothing.
   */
  lists(picture: Picture, header: SliceHeader, base: Picture | null): Lists {
    const { kind, active, modifications, frameNum, unit, sequence } = header;
    if (kind === I) return NO_LISTS;
    const most = 2 ** sequence.frameNumBits;
    const { views } = sequence;
    const [first, second] = this.initial(picture, header).map((initial: (Picture | null)[], l) => {
      const count = active[l] as number;
      if (count === 0) return [];
      // The one view that there is beside this one may be referred to.
      const between =
        base && views ? ((unit.anchor ? views.anchor : views.nonAnchor)[1]?.[l] ?? []).filter((id) => id === views.ids[0]) : [];
      const list = [...initial, ...between.map(() => base)].slice(0, count);
      while (list.length < count) list.push(null);
      let at = 0;
      let predicted = frameNum;
      const put = (p: Picture | null): void => {
        const rest = list.slice(at).filter((q) => q !== p || p === null);
        list.splice(at, list.length - at, p, ...rest);
        at++;
        list.length = Math.min(list.length, count);
        while (list.length < count) list.push(null);
      };
      for (const [idc, operand] of modifications[l as 0 | 1]) {
        if (at >= count) break;
        if (idc < 2) {
          predicted = (predicted + (idc === 0 ? -(operand + 1) : operand + 1) + 2 * most) % most;
          const number = predicted > frameNum ? predicted - most : predicted;
          put(this.refs.find((p) => p.long === null && p.picNum === number) ?? null);
        } else if (idc === 2) put(this.refs.find((p) => p.long === operand) ?? null);
        else put(between.length > 0 ? base : null);
      }
      return list;
    });
    return [first ?? [], second ?? []];
  }

  /** 8.2.5.3: where all places are taken, the oldest short-term reference goes. */
  private slide(references: number): void {
    if (this.refs.length < Math.max(references, 1)) return;
    const oldest = this.refs.reduce<Picture | null>((old, p) => (p.long === null && (!old || p.picNum < old.picNum) ? p : old), null);
    if (oldest) this.refs = this.refs.filter((p) => p !== oldest);
  }

  /** 8.2.5.4. @returns true where all references went, and orders begin anew: operation 5. */
  private command(picture: Picture, { marking, frameNum }: SliceHeader): boolean {
    let anew = false;
    const drop = (is: (p: Picture) => boolean) => {
      this.refs = this.refs.filter((p) => !is(p));
    };
    for (const [operation, a = 0, b = 0] of marking ?? []) {
      const number = frameNum - (a + 1);
      if (operation === 1) drop((p) => p.long === null && p.picNum === number);
      else if (operation === 2) drop((p) => p.long === a);
      else if (operation === 3) {
        const found = this.refs.find((p) => p.long === null && p.picNum === number);
        drop((p) => p.long === b && p !== found);
        if (found) found.long = b;
      } else if (operation === 4) drop((p) => p.long !== null && p.long >= a);
      else if (operation === 5) {
        this.refs = [];
        anew = true;
      } else {
        drop((p) => p.long === a);
        picture.long = a;
      }
    }
    return anew;
  }

  /** 8.2.5, after the picture. @returns by how much later orders are less than before: 0 but for operation 5. */
  mark(picture: Picture, header: SliceHeader): number {
    const { unit, sequence, marking } = header;
    let anew = false;
    if (unit.referenceIdc !== 0) {
      if (unit.idr) {
        if (header.longTermIdr) picture.long = 0;
      } else if (marking) anew = this.command(picture, header);
      else this.slide(sequence.references);
      this.refs.push(picture);
      this.lastRefFrameNum = header.frameNum;
      this.lastMsb = this.msb;
      this.lastLsb = header.orderLsb;
    }
    this.lastFrameNum = header.frameNum;
    this.lastOffset = this.offset;
    if (!anew) return 0;
    // The picture counts as if it had been an IDR one: 8.2.1.
    const { order } = picture;
    picture.top -= order;
    picture.bottom -= order;
    picture.order = 0;
    picture.frameNum = 0;
    this.lastRefFrameNum = this.lastFrameNum = this.lastMsb = this.lastOffset = 0;
    this.lastLsb = picture.top;
    return order;
  }
}
