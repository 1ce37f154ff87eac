export { findRoles } from './find';
export { compareTitles, type Comparison } from './compare';
export {
  SOUND_RATE_HZ,
  SoundComparer,
  compareSubtitles,
  type EventDifference,
  type EventRelation,
  type SoundComparison,
  type SoundRelation,
  type SoundRun,
  type SubtitleComparison,
  type SubtitleEvent,
  type TrackComparison,
} from './compare-tracks';
export {
  DECOY_WEIGHTS,
  WEIGHTS,
  type Difference,
  type Evidence,
  type EvidenceKind,
  type Findings,
  type Role,
  type TitleFinding,
} from './model';
export { layoutMap, type DiscMap, type MapBlock, type MapLane, type MapStretch } from './map';
