export { TrackHashes, writeMaster } from './write-master';
export type { MasterOptions } from './options';
export { withOtherEye } from './other-eye';
export { besidePromise } from './beside';
export { paletteRgb, vobSubHeader } from './palette';
export { writeKeyPictures, type OpenMoment } from './key-pictures';
