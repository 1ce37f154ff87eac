import type { CodedPicture, Slice } from './coded-pictures';
import { UnitBuffer } from './escaping';
import { COUNTS, writeSequenceSet, type SequenceSet } from './parameter-sets';
import { PictureSets } from './picture-sets';
import { broken, refusal } from './refusal';
import { B, I, type Marking } from './slice-header';
import { copyPicture, ownPictureSet, substitutePicture } from './stand-ins';
import { View, newPicture, type Lists, type Picture } from './view';
import { entryOf, putSlice, type PictureHead } from './write-slice';

/** References that a decoder holds at the most. ITU-T H.264 A.3.1. */
const MOST_LIVE = 16;
/** Pictures of an access unit: both, and a copy. */
const MOST_PICTURES = 3;
/** Orders that are further apart than this belong to another sequence. */
const MOST_APART = 8192;
/** Pictures of the second view after which it is no longer asked whether both views count alike. */
const SURE = 8;
/** A number that no long-term index reaches: all of them may be used. 8.2.5.4.4. */
const ALL_LONG = MOST_LIVE;

/** What was met on the way. */
export interface Met {
  /** Access units that came out. */
  accessUnits: number;
  /** Of these, shown with the first view for both eyes: the second was missing, or could not be decoded. */
  substitutes: number;
  /** Left out: they need pictures from before the place where decoding began. */
  leading: number;
  /** Places in a list that hold nothing. */
  emptyEntries: number;
  /** Base pictures that were copied for their dependent ones. */
  copies: number;
  /** B slices of the second view whose vectors come from pictures at other times, which is exact only where these are of the same view. */
  temporalDirect: number;
  /** Jumps in frame numbers that the stream does not announce. */
  gaps: number;
  mostLive: number;
}

/** A picture that was written, among others in `units`. */
export interface Written {
  readonly role: 'base' | 'copy' | 'dependent';
  readonly from: number;
  readonly to: number;
}

export interface WrittenUnit {
  /** Each unit behind its length of four bytes. Valid until the next access unit. */
  readonly units: Uint8Array;
  readonly pictures: readonly Written[];
  /** Decoding can begin here. */
  readonly key: boolean;
}

/** What both views must have alike. */
const NAMES: Readonly<Record<keyof SequenceSet['format'], string>> = {
  chroma: 'the sampling of colour',
  depthLuma: 'the depth of brightness',
  depthChroma: 'the depth of colour',
  bypass: 'coding without loss',
  scaling: 'the scaling lists',
  widthUnits: 'the width',
  heightUnits: 'the height',
  framesOnly: 'coding in fields',
  mixed: 'fields within frames',
  direct8x8: 'the size of direct vectors',
  crop: 'the edges',
};

/** @throws DiscError `unsupported` where the sequence sets of both views differ in what matters. */
function requireAlike(base: SequenceSet, dependent: SequenceSet): void {
  for (const key of Object.keys(NAMES) as (keyof typeof NAMES)[])
    if (JSON.stringify(base.format[key]) !== JSON.stringify(dependent.format[key]))
      throw refusal(`Both views differ in ${NAMES[key]}: they can not be decoded as one`);
}

const isIntra = ({ slices }: CodedPicture): boolean => slices.every(({ header }) => header.kind === I);
const headOf = ({ slices: [first] }: CodedPicture): Slice['header'] => {
  if (!first) throw broken('A picture has no slice');
  return first.header;
};

/**
 * Makes of two views one stream of ordinary H.264, base and dependent picture in turn, that a decoder of one view reads. The heads of slices
 * are written anew; what they code is not touched. Both pictures of a moment have one order count, so that all distances are what they
 * were; each list is given entry by entry, and what a decoder keeps as a reference is told it picture by picture.
 *
 * Spec: ITU-T H.264 7.3.3, 8.2, annex H; the method and what of it was tried is described in docs/two-views.md.
 */
export class Rewriter {
  readonly met: Met = {
    ...{ accessUnits: 0, substitutes: 0, leading: 0, emptyEntries: 0, copies: 0, temporalDirect: 0, gaps: 0, mostLive: 0 },
  };
  private readonly out = new UnitBuffer();
  private readonly sets = new PictureSets();
  private views: [View, View] = [new View(0), new View(1)];
  /** What the decoder holds. */
  private live = new Set<Picture>();
  private frameNum = 0;
  private idrId = 0;
  private started = false;
  private longSet = false;
  private sequence: SequenceSet | null = null;
  /** Put to orders: they go on where the source begins anew without saying so to a decoder of one view. */
  private shift: [number, number] = [0, 0];
  /** Order of the picture that decoding began with; null where none before it can come after it. */
  private begunAt: number | null = null;
  private lastFrameNum = 0;
  /** The second view lacks a reference: nothing of it can be shown up to its next anchor. */
  private lost = true;
  /** Pictures of the second view are missing since its last IDR picture. */
  private incomplete = false;
  private anchorOrder = 0;
  private inStep = 0;
  private pictures: Written[] = [];
  private checked: SequenceSet | null = null;

  /**
   * One access unit.
   * @param dependent null where the second view has none of this moment.
   * @returns null where it can not be decoded, for it needs what came before the beginning.
   * @throws DiscError `unsupported` for what can not be decoded this way, with the reason; `bad-structure`.
   */
  accessUnit(base: CodedPicture, dependent: CodedPicture | null): WrittenUnit | null {
    this.out.clear();
    this.pictures = [];
    const header = headOf(base);
    const idr = this.isEntry(base);
    if (!this.started && !idr) {
      this.met.leading++;
      return null;
    }
    if (idr) this.enter(header);
    const left = newPicture(0);
    const gap = this.views[0].begin(left, header);
    if (gap && !header.sequence.gaps && !idr) this.met.gaps++;
    if (idr) {
      // Orders are counted from the picture that decoding begins with.
      this.shift = [-left.order, -left.order];
      this.begunAt = header.unit.idr ? null : left.order;
    }
    this.lastFrameNum = header.frameNum;
    const right = newPicture(1);
    const lists = base.slices.map((s) => this.views[0].lists(left, s.header, null));
    const second = dependent && this.beginSecond(left, right, dependent);
    const leading = this.begunAt !== null && left.order < this.begunAt;
    if (leading) {
      left.broken = right.broken = true;
      this.shift[0] += this.views[0].mark(left, header);
      if (dependent) this.shift[1] += this.views[1].mark(right, headOf(dependent));
      this.met.leading++;
      return null;
    }
    this.emit(base, left, lists, idr, null);
    if (dependent && second) {
      // A copy, where a list needs one, stands between both.
      const needsCopy = dependent.slices.some(({ header: h }, i) => h.kind === B && second[i]?.[1][0] === left);
      if (needsCopy) this.copy(left, header.sequence);
      this.emit(dependent, right, second, false, left);
    } else {
      this.substitute(left, header.sequence);
      if (dependent) {
        right.broken = true;
        this.shift[1] += this.views[1].mark(right, headOf(dependent));
      }
    }
    this.met.accessUnits++;
    return { units: this.out.view(), pictures: this.pictures, key: idr };
  }

  /** A picture that decoding can begin with, and must: the first, an IDR, and one where another stretch was joined. */
  private isEntry(base: CodedPicture): boolean {
    const header = headOf(base);
    if (header.unit.idr) return true;
    if (!isIntra(base)) return false;
    if (!this.started) return true;
    const most = 2 ** header.sequence.frameNumBits;
    const step = (header.frameNum - this.lastFrameNum + most) % most;
    return this.sequence !== header.sequence || (step > 1 && !header.sequence.gaps);
  }

  private enter(header: Slice['header']): void {
    const { sequence, unit } = header;
    if (sequence.format.chroma === 3 && sequence.profile !== 244)
      throw refusal('Its colours are sampled in a way that only one profile has');
    this.started = true;
    this.sets.restart();
    this.sequence = sequence;
    const reorder = sequence.reorder === null ? MOST_LIVE : Math.min(MOST_LIVE, sequence.reorder * MOST_PICTURES);
    for (const set of [writeSequenceSet(sequence, reorder), ownPictureSet()]) this.plain(set);
    this.live.clear();
    this.frameNum = 0;
    this.idrId ^= 1;
    this.longSet = false;
    // The second view begins with an anchor, too.
    this.lost = true;
    // What an open group of pictures refers to from before is not there.
    if (!unit.idr) for (const view of this.views) for (const p of view.refs) p.broken = true;
  }

  private plain(unit: Uint8Array): void {
    const at = this.out.begin();
    this.out.escape(unit);
    this.out.end(at);
  }

  /** The second view's picture begins. @returns its lists; null where it can not be decoded. */
  private beginSecond(left: Picture, right: Picture, dependent: CodedPicture): Lists[] | null {
    const header = headOf(dependent);
    if (this.checked !== header.sequence && this.sequence) {
      requireAlike(this.sequence, header.sequence);
      this.checked = header.sequence;
    }
    const gap = this.views[1].begin(right, header);
    if (gap && !header.sequence.gaps && !dependent.anchor) {
      this.met.gaps++;
      this.lost = true;
    }
    if (dependent.anchor) {
      this.lost = false;
      if (header.unit.idr) this.incomplete = false;
      this.shift[1] = left.order + this.shift[0] - right.order;
      this.anchorOrder = right.order;
    }
    const lists = dependent.slices.map((s) => this.views[1].lists(right, s.header, left));
    // Both views count alike (H.8.2.1); else pairs are not what they seem.
    if (right.order + this.shift[1] !== left.order + this.shift[0] || right.bottom - right.top !== left.bottom - left.top) {
      if (this.inStep < SURE) throw refusal('Both views count their pictures in different ways: they are out of step');
      this.lost = true;
    }
    this.inStep++;
    // Pictures behind an anchor may list what is missing from before it; only those shown before it use it.
    const isMissing = (p: Picture | null) => p === null || p.broken;
    const isSpoilt = this.incomplete && right.order < this.anchorOrder && lists.some((two) => two.some((list) => list.some(isMissing)));
    return this.lost || isSpoilt ? null : lists;
  }

  /** Commands after which the decoder keeps these pictures and no others. */
  private marking(picture: Picture, keep: ReadonlySet<Picture>, base: Picture | null): Marking[] {
    const commands: Marking[] = [];
    const distance = (p: Picture) => ((picture.outFrameNum - p.outFrameNum + COUNTS) % COUNTS) - 1;
    for (const p of this.live) {
      if (keep.has(p)) continue;
      commands.push(p.outLong === null ? [1, distance(p)] : [2, p.outLong]);
      this.live.delete(p);
    }
    const long = (command: Marking) => {
      if (!this.longSet) commands.unshift([4, ALL_LONG]);
      this.longSet = true;
      commands.push(command);
    };
    for (const p of this.live) {
      // Between views a picture is neither a short-term nor a long-term one (H.8.4): the base picture waits for its dependent one.
      if (p.long === null || p.outLong !== null || p === base) continue;
      p.outLong = p.long * 2 + p.view;
      long([3, distance(p), p.outLong]);
    }
    if (picture.long !== null && picture.view === 1) {
      picture.outLong = picture.long * 2 + 1;
      long([6, picture.outLong]);
    }
    return commands;
  }

  private kept(): Set<Picture> {
    return new Set([...this.views[0].refs, ...this.views[1].refs].filter((p) => p.exists && !p.broken));
  }

  /** @throws DiscError `unsupported` where both views together need more references than there is room for. */
  private hold(picture: Picture): void {
    this.live.add(picture);
    this.frameNum = (this.frameNum + 1) % COUNTS;
    this.met.mostLive = Math.max(this.met.mostLive, this.live.size);
    if (this.live.size > MOST_LIVE) throw refusal(`Both views together need more than ${MOST_LIVE} pictures to refer to`);
  }

  private head(
    view: 0 | 1,
    picture: Picture,
    idr: boolean,
    referenceIdc: number,
    commands: readonly Marking[],
    orders = this.ordersOf(picture, view),
  ) {
    const framesOnly = this.sequence?.format.framesOnly ?? true;
    return { idr, idrId: this.idrId, referenceIdc, frameNum: picture.outFrameNum, orders, framesOnly, commands } satisfies PictureHead;
  }
  private ordersOf(p: Picture, view: 0 | 1): readonly [number, number] {
    return [p.top + this.shift[view], p.bottom + this.shift[view]];
  }

  private emit(coded: CodedPicture, picture: Picture, lists: readonly Lists[], idr: boolean, base: Picture | null): void {
    const { view } = picture;
    const header = headOf(coded);
    const orders = this.ordersOf(picture, view);
    picture.outFrameNum = this.frameNum;
    // Every base picture is referred to by its dependent one.
    const referenceIdc = view === 0 ? Math.max(1, header.unit.referenceIdc) : header.unit.referenceIdc;
    const entries = lists.map((two) => two.map((list) => this.entriesOf(list, base)));
    const later = this.views[view].mark(picture, header);
    // Orders that begin anew go on where they were.
    this.shift[view] += later;
    if (Math.abs(later) > MOST_APART) throw refusal('Its orders begin anew too far from where they were');
    const keep = this.kept();
    if (view === 0) keep.add(picture);
    const commands = referenceIdc > 0 && !idr ? this.marking(picture, keep, base) : [];
    const from = this.out.length;
    coded.slices.forEach((slice, i) => {
      const h = slice.header;
      if (view === 1 && h.kind === B && !h.spatialDirect) this.met.temporalDirect++;
      const head = this.head(view, picture, idr, view === 0 ? Math.max(1, h.unit.referenceIdc) : h.unit.referenceIdc, commands, orders);
      const taken = (length: number, redundant: boolean) => {
        this.sets.write(this.out, h.picture, length, redundant);
      };
      putSlice(this.out, slice.unit, h, head, entries[i] ?? [], this.sets.of(h.picture), taken);
    });
    this.pictures.push({ role: view === 0 ? 'base' : 'dependent', from: view === 0 ? 0 : from, to: this.out.length });
    if (referenceIdc > 0) this.hold(picture);
  }

  /** A list as it is written, by what the decoder holds before the picture. Where nothing stands, anything does: it is not used. */
  private entriesOf(list: readonly (Picture | null)[], base: Picture | null) {
    const isThere = (p: Picture | null): p is Picture => p !== null && !p.broken && p.exists && this.live.has(p);
    const any = list.find(isThere) ?? [...this.live].at(-1);
    return list.flatMap((p) => {
      const is = isThere(p);
      if (!is) this.met.emptyEntries++;
      const shown = is ? p : any;
      return shown ? [entryOf(shown === base ? (shown.copy ?? shown) : shown)] : [];
    });
  }

  private substitute(left: Picture, { format }: SequenceSet): void {
    this.met.substitutes++;
    this.incomplete = true;
    const from = this.out.length;
    const head = this.head(0, { ...left, outFrameNum: this.frameNum }, false, 0, []);
    this.plain(substitutePicture(head, entryOf(left), format));
    this.pictures.push({ role: 'dependent', from, to: this.out.length });
  }

  private copy(left: Picture, { format }: SequenceSet): void {
    if (format.mixed) throw refusal('Its frames hold fields, and its second view refers to the first in a way that needs whole frames');
    this.met.copies++;
    const from = this.out.length;
    const copy = { ...newPicture(0), ...{ top: left.top, bottom: left.bottom, order: left.order, outFrameNum: this.frameNum } };
    const head = this.head(0, copy, false, 1, this.marking(copy, this.kept().add(left), left));
    this.plain(copyPicture(head, entryOf(left), format));
    this.pictures.push({ role: 'copy', from, to: this.out.length });
    left.copy = copy;
    this.hold(copy);
  }
}
