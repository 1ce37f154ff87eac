export {
  Assembly,
  assemble,
  type AssembledChapter,
  type AssembledTrack,
  type AssemblyOptions,
  type OpenContent,
  type TapBytes,
} from './assembly';
export { joinProblem, planPiece, type PlannedPiece } from './plan';
export type { Irregularity, LeftReason, Packet, TrackAccount } from './packet';
export type { VideoCounts } from './video-framer';
