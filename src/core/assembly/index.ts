export { Assembly, assemble, type AssembledChapter, type AssemblyOptions, type OpenContent } from './assembly';
export type { AssembledTrack, TapBytes } from './lanes';
export { joinProblem, planPiece, type PlannedPiece } from './plan';
export type { Irregularity, LeftReason, Packet, TrackAccount } from './packet';
export type { VideoCounts } from './video-framer';
