/**
 * What can be wrong with what a disc holds, as far as it can be seen while reading: every byte of a range has an owner, and
 * times and counts agree with what the disc says of them elsewhere. The words for each are the interface's.
 */
export type FaultKind =
  /** A sector or source packet that is none: zeroed, or overwritten. */
  | 'no pack'
  /** It could not be read at all. */
  | 'unreadable'
  /** A pack or packet that contradicts itself, or is not as long as it says. */
  | 'broken pack'
  /** Its own clock does not go on from the one before: repeated, or from another place. */
  | 'out of place'
  /** The continuity counter of a transport stream jumps. */
  | 'packets missing'
  /** The multiplexer itself marked the packet as wrong. */
  | 'error flag'
  /** Bytes of a stream that belong to no frame. */
  | 'no frame'
  /** A stretch of the disc's own clock without anything of the track. */
  | 'gap'
  /** Sound that the disc gives twice, beyond what a join may overlap: the second was left out. */
  | 'overlap'
  /** Less of a segment came than the disc's tables say that it lasts. */
  | 'short'
  /** Pictures are missing between others, by their own numbers. */
  | 'pictures missing'
  /** A picture has no slice for some of its rows, or for more than it has; kept as it is. */
  | 'rows missing'
  /** A track is silent where the picture goes on. */
  | 'no sound'
  /** The part ends a picture or a few before its tables say. */
  | 'last picture'
  /** The picture stands still because none comes, though time goes on. */
  | 'held'
  /** A time stamp that its neighbours contradict; it was not followed. */
  | 'stamp'
  /** A navigation pack that contradicts its neighbours, or its own place. */
  | 'navigation'
  /** No picture begins where the clip's map of entry points says so. */
  | 'entry point'
  /** A picture that is shown beyond the end of the part, needed by others before it. */
  | 'beyond the end'
  /** A subtitle that is on the screen where a part is cut: each side shows it as long as it belongs there. */
  | 'over the cut'
  /** What stands before a cut is not whole: a subtitle that is on the screen there may be missing. */
  | 'before the cut'
  /** Pictures of a two-view title whose second view did not come. */
  | 'one view'
  /** A picture's enhancement layer, which the file does not hold. */
  | 'layer'
  /** A frame whose own check word does not agree with it; kept as it is. */
  | 'check word'
  /** A stream stands in the content that the tables of the disc do not name there: nothing of it is taken. */
  | 'no track';

/** `damage`: content is not whole there. `remark`: it is as the disc has it, and the archivist should know. */
export type FaultWeight = 'damage' | 'remark';

export const FAULT_WEIGHTS: Readonly<Record<FaultKind, FaultWeight>> = {
  'no pack': 'damage',
  unreadable: 'damage',
  'broken pack': 'damage',
  'out of place': 'damage',
  'packets missing': 'damage',
  'error flag': 'damage',
  'no frame': 'damage',
  gap: 'damage',
  overlap: 'damage',
  short: 'damage',
  'pictures missing': 'damage',
  'rows missing': 'remark',
  'last picture': 'remark',
  'no sound': 'remark',
  held: 'remark',
  stamp: 'damage',
  navigation: 'damage',
  'entry point': 'remark',
  'beyond the end': 'remark',
  'over the cut': 'remark',
  'before the cut': 'remark',
  'one view': 'damage',
  layer: 'remark',
  'check word': 'remark',
  'no track': 'remark',
};

/** One place where something is wrong. */
export interface Fault {
  readonly kind: FaultKind;
  /** Track of the reel, from 0; null where it is not one track's. */
  readonly track: number | null;
  /** Place in the output, and how much of it; null where it is no stretch of time. */
  readonly atMs: number;
  readonly ms: number | null;
  /** Where on the disc: sectors of 2,048 bytes of a content; null where only the time is known. */
  readonly content: string | null;
  readonly firstSector: number;
  readonly lastSector: number;
  /** How many of the kind stand there. */
  readonly count: number;
}

/** A title whose picture stands in two layers, of which one is left out, is not all that its disc has. */
export const lacksLayer = ({ faults }: { readonly faults: readonly Pick<Fault, 'kind'>[] }): boolean =>
  faults.some((f) => f.kind === 'layer');

/** What reading a reel was compared with: how many of each the disc had to say, and agreed with. */
export interface Witnesses {
  /** Packs of a program stream, or source packets. */
  packs: number;
  navigationPacks: number;
  cells: number;
  /** Stretches of clips that last as long as the playlist says. */
  playItems: number;
  entryPoints: number;
  pictures: number;
  soundFrames: number;
}

/** More places than this are counted, not listed. */
export const MOST_FAULTS = 500;

/** What reading a reel showed of the source itself. */
export interface Wholeness {
  /** Places where it is not as it says itself that it should be, in order of time; the first `MOST_FAULTS`. */
  readonly faults: readonly Fault[];
  /** All there were, listed or not. */
  readonly count: number;
  /** Those of them that are damage. */
  readonly damage: number;
  /** What was compared, and agreed. */
  readonly witnesses: Witnesses;
}
