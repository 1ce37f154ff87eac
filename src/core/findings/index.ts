export { findRoles } from './find';
export { compareTitles, type Comparison } from './compare';
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
export { layoutMap, type DiscMap, type MapBlock, type MapLane } from './map';
