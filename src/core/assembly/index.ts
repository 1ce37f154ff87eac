export { Assembly, assemble, type AssemblyOptions } from './assembly';
export type { AssembledChapter, OpenContent } from './walk';
export type { AssembledTrack, TapBytes } from './lanes';
export { restoreLpcm, type LpcmPacking } from './lpcm-repack';
export { joinProblem, planPiece, type PlannedPiece } from './plan';
export type { Irregularity, LeftReason, Packet, TrackAccount } from './packet';
export type { PictureDescription } from './picture';
export type { VideoCounts } from './video-framer';
