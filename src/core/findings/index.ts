export { findRoles } from './find';
export { WEIGHTS, type Evidence, type EvidenceKind, type Findings, type Role, type TitleFinding } from './model';
export { layoutMap, type DiscMap, type MapBlock, type MapLane } from './map';
