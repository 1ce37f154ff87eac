export { findRoles } from './find';
export { WEIGHTS, type Evidence, type EvidenceKind, type Findings, type Role, type TitleFinding } from './model';
