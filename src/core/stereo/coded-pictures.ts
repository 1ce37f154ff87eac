import { DiscError } from '../bytes';
import { H264 } from '../streams';
import { readPictureSet, readSequenceSet, type PictureSet, type SequenceSet } from './parameter-sets';
import { refusal } from './refusal';
import { readSliceHeader, readUnitHead, type ParameterSets, type SliceHeader } from './slice-header';

export interface Slice {
  readonly header: SliceHeader;
  /** As it stands, without start code. */
  readonly unit: Uint8Array;
}

/** A picture of one view as it was coded. */
export interface CodedPicture {
  readonly slices: readonly Slice[];
  /** Decoding of this view can begin with it, once the base picture is there. */
  readonly anchor: boolean;
}

/** An access unit of both views. */
export interface Pair {
  readonly base: CodedPicture | null;
  readonly dependent: CodedPicture | null;
}

/** Parameter sets of one view. A set is looked up in its own view's stream first: both may use one number for different ones. */
class ViewSets implements ParameterSets {
  readonly sequences = new Map<number, SequenceSet>();
  readonly pictures = new Map<number, PictureSet>();
  private readonly texts = new Map<string, string>();

  /** @param other the base view, whose picture sets may serve both. */
  constructor(private readonly other: ViewSets | null) {}

  readonly sequence = (id: number): SequenceSet | undefined => this.sequences.get(id);
  readonly picture = (id: number): PictureSet | undefined => this.pictures.get(id) ?? this.other?.picture(id);

  /** A set that comes again, as it was, changes nothing. */
  isNew(kind: string, id: number, unit: Uint8Array): boolean {
    const text = unit.join(' ');
    const isNew = this.texts.get(`${kind} ${id}`) !== text;
    this.texts.set(`${kind} ${id}`, text);
    return isNew;
  }
}

/** Takes units of both views, each access unit's base units before its dependent ones, apart. */
export class PairReader {
  private readonly base = new ViewSets(null);
  private readonly views = [this.base, new ViewSets(this.base)] as const;

  /** Parameter sets that stand outside of the stream. @param view 0 for the base view's, 1 for the dependent one's. */
  set(unit: Uint8Array, view: 0 | 1): void {
    const sets = this.views[view];
    const type = (unit[0] ?? 0) & 31;
    if (type === H264.picture) {
      const set = readPictureSet(unit);
      if (sets.isNew('picture', set.id, unit)) sets.pictures.set(set.id, set);
    } else if (type === H264.sequence || type === H264.subsetSequence) {
      const set = readSequenceSet(unit, type === H264.subsetSequence);
      const own = type === H264.subsetSequence ? this.views[1] : this.views[0];
      if (type === H264.subsetSequence && !set.views) return;
      if (own.isNew('sequence', set.id, unit)) own.sequences.set(set.id, set);
    }
  }

  /**
   * The pictures of an access unit. Slices that contradict themselves are left out; a second view that has one is taken for missing.
   * @param units in their order, without start codes.
   * @throws DiscError `unsupported`; `bad-structure` where nothing is left of the base picture.
   */
  read(units: readonly Uint8Array[]): Pair {
    const slices: [Slice[], Slice[]] = [[], []];
    let anchor = false;
    let inSecond = false;
    let spoilt: DiscError | null = null;
    let secondSpoilt = false;
    const unlessSpoilt = (work: () => void): boolean => {
      try {
        work();
        return true;
      } catch (error) {
        if (!(error instanceof DiscError) || error.code !== 'bad-structure') throw error;
        spoilt ??= error;
        return false;
      }
    };
    for (const unit of units) {
      const head = readUnitHead(unit);
      if (!head) continue;
      const { type } = head;
      if (type === H264.dependentDelimiter || type === H264.subsetSequence || type === H264.sliceExtension) inSecond = true;
      // A picture set behind slices of the base view is the other view's.
      else if (type === H264.picture && slices[0].length > 0) inSecond = true;
      else if (type === H264.delimiter) inSecond = false;
      if (type === H264.picture || type === H264.sequence || type === H264.subsetSequence) {
        const view = inSecond ? 1 : 0;
        unlessSpoilt(() => {
          this.set(unit, view);
        });
      }
      if (type >= 2 && type <= 4) throw refusal('Its slices are coded in parts');
      if (type !== H264.slice && type !== H264.idr && type !== H264.sliceExtension) continue;
      const view = type === H264.sliceExtension ? 1 : 0;
      const isRead = unlessSpoilt(() => {
        slices[view].push({ header: readSliceHeader(unit, head, this.views[view]), unit });
      });
      if (view === 1) {
        anchor ||= head.anchor;
        secondSpoilt ||= !isRead;
      }
    }
    // All slices of a picture tell of the same one: a second picture where one belongs is no part of it.
    const [base, second] = slices.map(ofOnePicture) as [Slice[], Slice[]];
    if (base.length === 0 && spoilt) throw spoilt as DiscError;
    const isWhole = second.length > 0 && !secondSpoilt && second.length === slices[1].length;
    return {
      base: base.length > 0 ? { slices: base, anchor: base.every((s) => s.header.unit.idr) } : null,
      dependent: isWhole ? { slices: second, anchor } : null,
    };
  }
}

/** Slices up to one that belongs to another picture. 7.4.1.2.4. */
function ofOnePicture(slices: readonly Slice[]): Slice[] {
  const [first] = slices;
  return slices.filter(({ header: h }) => {
    const f = first?.header;
    return (
      f !== undefined && h.frameNum === f.frameNum && h.unit.idr === f.unit.idr && h.sequence === f.sequence && h.orderLsb === f.orderLsb
    );
  });
}
